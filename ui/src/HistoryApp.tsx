/** The page of a history: all versions in a strip, the verdict, and a ledger of columns × versions. */

import { useEffect, useMemo, useState } from "preact/hooks";
import { columnAddress, columnIn, follow, useAddress } from "./address";
import { placeAt } from "./cells";
import { whole } from "./format";
import type { HistoryFinding } from "./historyData";
import { HistoryLedger } from "./HistoryLedger";
import { evenly, shown } from "./historyModel";
import { LanguageChoice } from "./LanguageChoice";
import { language, languages, speak, word } from "./model";
import { Behind, SeverityTag } from "./parts";

/** Findings that are seen at once; the others are a click away. */
const SEEN = 12;

/** Bars of so few versions are so wide that the outermost labels stand beneath their middle as well. */
const CENTRED = 12;

export function HistoryApp() {
  const [spoken, setSpoken] = useState(language);
  return (
    <Whole
      key={spoken}
      choose={(code) => {
        speak(code);
        setSpoken(code);
      }}
    />
  );
}

function Whole({ choose }: { choose: (code: string) => void }) {
  const history = shown();
  const address = useAddress();
  const verdict = useMemo(() => <Verdict />, []);
  useEffect(() => {
    if (address === "verdict" || address === "columns") document.getElementById(address)?.scrollIntoView();
  }, [address]);
  const here = columnIn(address) !== null ? "columns" : address === "columns" ? "columns" : "verdict";
  return (
    <>
      <header class="head history-head">
        <div>
          {history.logo === null ? <p class="product">{word("page.product")}</p> : <img class="logo" src={history.logo} alt="" />}
          <h1>{history.title}</h1>
        </div>
        {languages.length > 1 && <LanguageChoice choose={choose} />}
      </header>
      <Strip />
      <nav class="ways" aria-label={history.title}>
        {(["verdict", "columns"] as const).map((section) => (
          <a key={section} href={`#${section}`} aria-current={section === here ? "true" : undefined} onClick={follow(section)}>
            {word(`page.${section}`)}
          </a>
        ))}
      </nav>
      <main>
        <div class="first-screen">
          {verdict}
          <HistoryLedger />
        </div>
        <Newest />
      </main>
    </>
  );
}

/** All versions: as high as they have rows, the newest in ink, those where something happened marked. */
function Strip() {
  const { labels, moments, rows, marks } = shown().versions;
  const [pointed, point] = useState<number | null>(null);
  const n = labels.length;
  const most = Math.max(...rows, 1);
  const gap = n > 120 ? 0 : 0.18;
  const box = (place: number) => `M${place + gap / 2} 40V${40 - (38 * rows[place]!) / most}h${1 - gap}V40z`;
  const older = rows.map((_, place) => (place < n - 1 ? box(place) : "")).join("");
  const ticks = evenly(n, 7);
  const nearest = Math.min(n, ...ticks.slice(1).map((place, i) => place - ticks[i]!)) / n;
  // The outermost labels reach inwards by all of their width.
  const room = nearest * (n > CENTRED ? 0.64 : 0.96);
  return (
    <section class="history-strip" aria-label={word("page.the_versions")}>
      <svg
        viewBox={`0 0 ${n} 46`}
        preserveAspectRatio="none"
        role="img"
        aria-label={word("page.history_strip", { n: whole(n), first: labels[0]!, last: labels[n - 1]! })}
        onPointerMove={(event) => point(placeAt(event.currentTarget, event.clientX, n))}
        onPointerLeave={() => point(null)}
      >
        <path class={n > 120 ? "strip-older filled" : "strip-older"} d={older} />
        <path class="strip-newest" d={box(n - 1)} />
        {Object.entries(marks).map(([place, severity]) => (
          <path key={place} class={`strip-mark ${severity}`} d={`M${Number(place) + gap / 2} 42.5h${1 - gap}v3.5h${gap - 1}z`} />
        ))}
      </svg>
      <div class={n > CENTRED ? "strip-labels" : "strip-labels centred"} aria-hidden="true">
        {ticks.map((place) => (
          <span
            key={place}
            class={place === n - 1 ? "newest" : undefined}
            title={labels[place]}
            style={{ left: `${(100 * (place + 0.5)) / n}%`, maxWidth: `${100 * room}%` }}
          >
            {labels[place]}
          </span>
        ))}
      </div>
      <p class="pointed muted" aria-hidden="true">
        {pointed === null ? "\u00a0" : `${labels[pointed]} · ${moments[pointed]?.slice(0, 16).replace("T00:00", "").replace("T", " ")} · ${whole(rows[pointed]!)} ${word("page.rows")}`}
      </p>
      <Behind summary={word("page.the_versions")}>
        {() => (
          <table>
            <thead>
              <tr>
                <th scope="col">{word("page.version")}</th>
                <th scope="col">{word("page.history_moment")}</th>
                <th scope="col" class="number">
                  {word("page.rows")}
                </th>
              </tr>
            </thead>
            <tbody>
              {labels.map((label, i) => (
                <tr key={i}>
                  <th scope="row">{label}</th>
                  <td>{moments[i]?.replace("T", " ")}</td>
                  <td class="number">{whole(rows[i]!)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Behind>
    </section>
  );
}

function Verdict() {
  const { verdict, findings, judged } = shown();
  const first = findings.slice(0, SEEN);
  const others = findings.slice(SEEN);
  return (
    <section class="verdict" id="verdict" aria-label={word("page.verdict")}>
      <h2 class="unseen">{word("page.verdict")}</h2>
      <p class="lead">
        {judged ? (
          <>
            <strong>{verdict.headline}</strong> {verdict.detail}
          </>
        ) : (
          word("page.history_few")
        )}
      </p>
      <ul class="findings">
        {first.map((finding, i) => (
          <Line key={i} finding={finding} />
        ))}
      </ul>
      {others.length > 0 && (
        <details class="alike">
          <summary>{word("page.history_more", { n: whole(others.length) })}</summary>
          <ul class="findings">
            {others.map((finding, i) => (
              <Line key={i} finding={finding} />
            ))}
          </ul>
        </details>
      )}
      <Step />
    </section>
  );
}

/** The newest version against the one before it, where that is known. */
function Step() {
  const { step, versions } = shown();
  if (!step.length) return null;
  const [old, newest] = versions.labels.slice(-2) as [string, string];
  return (
    <details class="alike step">
      <summary>{word("page.history_step", { n: whole(step.length), old, new: newest })}</summary>
      <ul class="findings">
        {step.map((finding, i) => (
          <li class="finding" key={i}>
            <SeverityTag severity={finding.severity} />
            <div>
              <h3 class="finding-title">
                {finding.title} <Names columns={finding.columns} />
              </h3>
              <p class="finding-sentence">{finding.sentence}</p>
              {finding.accepted !== null && <p class="muted">{word("page.accepted", { reason: finding.accepted })}</p>}
            </div>
          </li>
        ))}
      </ul>
    </details>
  );
}

/** The table and its relations in the newest version, and what was usual before. */
function Newest() {
  const { whole: lines, relations, versions } = shown();
  if (versions.labels.length < 2) return null;
  const heads = (
    <tr>
      <th />
      <th scope="col" class="number">
        {word("page.history_now")}
      </th>
      <th scope="col" class="number">
        {word("page.history_before")}
      </th>
    </tr>
  );
  return (
    <section class="newest-against" id="newest">
      <h2>{word("page.history_newest", { new: versions.labels[versions.labels.length - 1]! })}</h2>
      <div class="beside">
        <div class="wide">
          <h3>{word("page.history_whole")}</h3>
          <table>
            <thead>{heads}</thead>
            <tbody>
              {lines.map(([name, now, usual]) => (
                <tr key={name}>
                  <th scope="row">{name}</th>
                  <td class="number">
                    <strong>{now}</strong>
                  </td>
                  <td class="number">{usual}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
        {relations.length > 0 && (
          <div class="wide">
            <h3>{word("page.history_relations")}</h3>
            <table>
              <thead>{heads}</thead>
              <tbody>
                {relations.map(({ x, y, now, usual }) => (
                  <tr key={`${x} ${y}`}>
                    <th scope="row">
                      <Names columns={[x]} /> – <Names columns={[y]} />
                    </th>
                    <td class="number">
                      <strong>{now}</strong>
                    </td>
                    <td class="number">{usual}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            <p class="muted">{word("page.history_relations_hint")}</p>
          </div>
        )}
      </div>
    </section>
  );
}

function Names({ columns }: { columns: string[] }) {
  return (
    <>
      {columns.map((name) => (
        <a class="name" key={name} href={`#${columnAddress(name)}`} onClick={follow(columnAddress(name))}>
          {name}
        </a>
      ))}
    </>
  );
}

function Line({ finding }: { finding: HistoryFinding }) {
  return (
    <li class="finding">
      <SeverityTag severity={finding.severity} />
      <div>
        <h3 class="finding-title">
          {finding.title}{" "}
          <Names columns={finding.columns.length > 1 ? [] : finding.columns} />
        </h3>
        {finding.sentences.length > 0 && (
          <details class="next">
            <summary>{word("page.history_each")}</summary>
            <ul>
              {finding.sentences.map(([name, sentence], i) => (
                <li class="finding-sentence" key={i}>
                  <Names columns={[name]} /> {sentence}
                </li>
              ))}
            </ul>
          </details>
        )}
        {finding.accepted !== null && <p class="muted">{word("page.accepted", { reason: finding.accepted })}</p>}
      </div>
    </li>
  );
}
