/** The verdict: one sentence, and the findings by severity. */

import { Fragment } from "preact";
import { columnAddress, follow } from "./address";
import { type Finding, page, word } from "./model";
import { whole } from "./format";
import { pairAddress, pairOf } from "./Pairs";
import { SmallDistribution } from "./Distribution";
import { Cells, Copy, ColumnHeads, NoteOn, Term, Heads, SeverityTag } from "./parts";

export function Verdict() {
  return (
    <section class="verdict" id="verdict" aria-label={word("page.verdict")}>
      <h2 class="unseen">{word("page.verdict")}</h2>
      <p class="lead">
        <strong>{page.verdict.headline}</strong> {page.verdict.detail}
      </p>
      {page.findings.length === 0 && <p class="muted">{word("page.no_findings")}</p>}
      <ul class="findings">
        {folded(stillOpen).map((finding) =>
          typeof finding === "number" ? <Line key={finding} index={finding} /> : <Alike key={`after ${finding[0]}`} findings={finding} />,
        )}
      </ul>
      {known.length > 0 && (
        <details class="accepted">
          <summary>{word("page.accepted_n", { n: known.length })}</summary>
          <ul class="findings">
            {known.map((finding) => (
              <Line key={finding} index={finding} />
            ))}
          </ul>
        </details>
      )}
      {(page.versions.length > 2 || page.grouped_by !== null) && <Versions />}
      {page.stale_baseline.map((stale, i) => (
        <p class="muted" key={i}>
          {stale}
        </p>
      ))}
    </section>
  );
}

/** Rows, columns by kind, gaps, repeats and memory of every version. */
function Versions() {
  const facts = Object.keys(page.versions[0]?.facts ?? {});
  return (
    <details class="behind version-facts">
      <summary>{word(page.compared ? "page.the_versions" : "page.the_version")}</summary>
      <div class="wide">
        <table>
          <Heads />
          <tbody>
            {facts.map((name) => (
              <tr key={name}>
                <th scope="row">
                  <Term term={name}>{word(`page.${name}`)}</Term>
                </th>
                {page.versions.map((version, i) => (
                  <td class="number" key={i}>
                    {version.facts[name]}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </details>
  );
}

// Every language has the same findings.
const all = page.findings.map((_, i) => i);
const stillOpen = all.filter((i) => page.findings[i]!.accepted === null);
const known = all.filter((i) => page.findings[i]!.accepted !== null);

/** So many findings of one sort are seen at once, where there are more than the second number. */
const [OF_ONE_SORT, MANY] = [5, 10];

/** Findings in their order; of one sort, those beyond the first few together after these. */
function folded(findings: number[]): (number | number[])[] {
  const sortOf = (i: number) => `${page.findings[i]!.severity} ${page.findings[i]!.code}`;
  const sorts = new Map<string, number[]>();
  for (const i of findings) sorts.set(sortOf(i), [...(sorts.get(sortOf(i)) ?? []), i]);
  return findings.flatMap((i) => {
    const alike = sorts.get(sortOf(i))!;
    const place = alike.indexOf(i) + 1;
    if (alike.length <= MANY || place < OF_ONE_SORT) return [i];
    return place === OF_ONE_SORT ? [i, alike.slice(OF_ONE_SORT)] : [];
  });
}

/** Further findings of the sort of those before. */
function Alike({ findings }: { findings: number[] }) {
  const titles = new Set(findings.map((i) => page.findings[i]!.title));
  const [title] = titles;
  const n = whole(findings.length);
  return (
    <li class="alike">
      <details>
        <summary>{titles.size === 1 ? word("page.more_titled", { n, title: title! }) : word("page.more_alike", { n })}</summary>
        <ul class="findings">
          {findings.map((finding) => (
            <Line key={finding} index={finding} />
          ))}
        </ul>
      </details>
    </li>
  );
}

function Line({ index }: { index: number }) {
  const finding = page.findings[index]!;
  return (
    <li class="finding" id={`finding-${index}`}>
      <SeverityTag severity={finding.severity} />
      <FindingText finding={finding} />
    </li>
  );
}

/** The distribution of the column that a finding speaks of, or the way to the pair. */
function Figure({ finding }: { finding: Finding }) {
  const column = page.columns.find((other) => finding.columns.some((name) => other.names.includes(name)));
  const pair = finding.columns.length === 2 ? pairOf(finding.columns[0]!, finding.columns[1]!) : null;
  return (
    <>
      {column?.distribution && <SmallDistribution column={column} />}
      {pair && (
        <p>
          <a class="name" href={`#${pairAddress(pair)}`} onClick={follow(pairAddress(pair))}>
            {pair.x} × {pair.y}
          </a>
        </p>
      )}
    </>
  );
}

/** The rows that show a finding, before and after. */
function ShownRows({ finding }: { finding: Finding }) {
  return (
    <>
      {finding.example_rows.map((shown) => (
        <div class="wide shown" tabIndex={0} key={shown.version}>
          <table>
            <caption>
              {word("page.shown_rows")}
              {page.versions.length > 1 && `, ${shown.version}`}
            </caption>
            <thead>
              <tr>
                <th scope="col" class="number">
                  {word("page.row_number")}
                </th>
                <ColumnHeads names={shown.columns} />
              </tr>
            </thead>
            <tbody>
              {shown.rows.map(({ row, cells }) => (
                <tr key={row}>
                  <th scope="row" class="number">
                    {whole(row)}
                  </th>
                  <Cells row={cells} names={shown.columns} />
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      ))}
    </>
  );
}

export function FindingText({ finding, inColumn = false }: { finding: Finding; inColumn?: boolean }) {
  const manySteps = page.versions.length > 2 && finding.versions.length === 2;
  const steps = page.grouped_by === null ? finding.versions : finding.versions.slice(-1);
  return (
    <div>
      <h3 class="finding-title">
        {finding.title}{" "}
        {!inColumn &&
          finding.columns.map((name, i) => (
            <Fragment key={name}>
              {i > 0 && " "}
              <a class="name" href={`#${columnAddress(name)}`} onClick={follow(columnAddress(name))}>
                {name}
              </a>
            </Fragment>
          ))}
        {manySteps && <span class="older"> {steps.join(" → ")}</span>}
      </h3>
      <p class="finding-sentence">{finding.sentence}</p>
      <NoteOn of={`finding/${page.findings.indexOf(finding)}`} />
      {finding.accepted !== null && <p class="muted">{word("page.accepted", { reason: finding.accepted })}</p>}
      <details class="next">
        <summary>{word("page.next_step")}</summary>
        <p>{finding.next_step}</p>
        {!inColumn && <Figure finding={finding} />}
        {finding.remedy && (
          <div class="remedy">
            <p class="muted">
              {word("page.remedy")} <Copy text={finding.remedy[0]} />
            </p>
            <pre tabIndex={0}>{finding.remedy[0]}</pre>
            {!finding.remedy[1] && <p class="muted">{word("page.remedy_unusual")}</p>}
          </div>
        )}
        <ShownRows finding={finding} />
        <dl class="evidence" aria-label={word("page.evidence")}>
          {finding.evidence.map(([name, value, exact]) => (
            <div key={name}>
              <dt>{name}</dt>
              <dd title={exact || undefined}>{value}</dd>
            </div>
          ))}
        </dl>
      </details>
    </div>
  );
}
