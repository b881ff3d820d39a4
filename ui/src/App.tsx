/** The page: head, the ways to its sections, and the sections in their order. */

import { useEffect, useMemo, useState } from "preact/hooks";
import { follow, useAddress } from "./address";
import { count, whole } from "./format";
import { Ledger } from "./Ledger";
import { LanguageChoice } from "./LanguageChoice";
import { language, languages, page, speak, word } from "./model";
import { hasRows, Relations, Rows } from "./Between";
import { Explore } from "./Explore";
import { Missing } from "./Missing";
import { Duplicates } from "./Duplicates";
import { Time } from "./Time";
import { pairIn } from "./Pairs";
import { Outcome } from "./Outcome";
import { Finder } from "./Finder";
import { Origin } from "./Origin";
import { NoteOn, Term, VersionMark } from "./parts";
import { Verdict } from "./Verdict";

const sections = [
  "verdict",
  "columns",
  ...(page.explore ? (["explore"] as const) : []),
  ...(page.outcome ? (["outcome"] as const) : []),
  ...(page.matrix || page.no_relations ? (["relations"] as const) : []),
  ...(page.missing ? (["missing"] as const) : []),
  "duplicates",
  ...(hasRows() ? (["rows"] as const) : []),
  ...(page.time ? (["time"] as const) : []),
  "origin",
] as const;
const titles: Record<string, string> = {
  explore: "explore_section",
  outcome: "outcome_section",
  relations: "relations_section",
  missing: "missing_section",
  duplicates: "duplicates_section",
  rows: "rows_section",
  time: "time_section",
};

export function App() {
  const [spoken, setSpoken] = useState(language);
  const choose = (code: string) => {
    speak(code);
    setSpoken(code);
  };
  // A language of its own is a page of its own: nothing that was worded stays.
  return <Whole key={spoken} choose={choose} />;
}

function Whole({ choose }: { choose: (code: string) => void }) {
  const address = useAddress();
  // They listen to the address themselves where they need it; of a wide table they are long.
  const verdict = useMemo(() => <Verdict />, []);
  const sectionsBelow = useMemo(
    () => (
      <>
        <Explore />
        <Outcome />
        <Relations />
        <Missing />
        <Duplicates />
        <Rows />
        <Time />
        <Origin />
      </>
    ),
    [],
  );
  // The first screen is painted before what is below it is made, unless that is what the address asks for.
  const [below, showBelow] = useState(address !== "" && address !== "verdict");
  useEffect(() => {
    if (!below) requestAnimationFrame(() => setTimeout(() => showBelow(true)));
  }, []);
  const here = useSectionInSight();
  useEffect(() => {
    if (sections.some((section) => section === address)) document.getElementById(address)?.scrollIntoView();
    else if (/^finding\/\d+$/.test(address)) {
      const finding = document.getElementById(address.replace("/", "-"));
      const around = finding?.parentElement?.closest("details");
      for (const behind of [around, finding?.querySelector("details")]) if (behind) behind.open = true;
      finding?.scrollIntoView({ block: "nearest" });
    } else if (pairIn(address)) document.querySelector(".pair")?.scrollIntoView({ block: "nearest" });
  }, [address]);
  return (
    <>
      <header class="head">
        <div>
          {page.logo === null ? <p class="product">{word("page.product")}</p> : <img class="logo" src={page.logo} alt="" />}
          <h1>{page.title}</h1>
        </div>
        <Versions />
        {page.sharing.length > 0 && (
          <p class="sharing">
            <strong>{page.sharing[0]}</strong> <span class="muted">{page.sharing[1]}</span>
          </p>
        )}
        {languages.length > 1 && <LanguageChoice choose={choose} />}
      </header>
      <Overview />
      <nav class="ways" aria-label={page.title}>
        <span class="contents">{word("page.contents")}</span>
        {sections.map((section) => (
          <a
            key={section}
            href={`#${section}`}
            aria-current={section === here ? "true" : undefined}
            onClick={follow(section)}
          >
            {word(`page.${titles[section] ?? section}`)}
          </a>
        ))}
        <Finder />
      </nav>
      <main class={below ? undefined : "still whole"}>
        <NoteOn of="page" />
        <div class="first-screen">
          {verdict}
          <Ledger />
        </div>
        {below && sectionsBelow}
      </main>
    </>
  );
}

/** Below the navigation, in pixels, the section begins that is read. */
const READ_FROM = 96;

/** The section that is read just now: the last one that began above; at the end of the page the last of all. */
function useSectionInSight(): string {
  const [here, setHere] = useState<string>("verdict");
  useEffect(() => {
    let waiting = false;
    const look = () => {
      waiting = false;
      const { scrollHeight, clientHeight } = document.documentElement;
      const atEnd = window.scrollY > 0 && window.scrollY + clientHeight >= scrollHeight - 2;
      const begun = sections.filter((section) => (document.getElementById(section)?.getBoundingClientRect().top ?? Infinity) <= READ_FROM);
      setHere((atEnd ? sections : begun).at(-1) ?? "verdict");
    };
    const soon = () => {
      if (!waiting) requestAnimationFrame(look);
      waiting = true;
    };
    window.addEventListener("scroll", soon, { passive: true });
    window.addEventListener("resize", soon);
    return () => {
      window.removeEventListener("scroll", soon);
      window.removeEventListener("resize", soon);
    };
  }, []);
  return here;
}

/** The newest version as a whole, in a few numbers. */
function Overview() {
  return (
    <section class="overview" aria-label={word("page.history_whole")}>
      <dl>
      {page.overview.map(({ name, value, note }) => (
        <div key={name}>
          <dt>
            <Term term={name}>{word(`page.${name}`)}</Term>
          </dt>
          <dd>
            <strong>{value}</strong>
            {note && <small title={note}>{note}</small>}
          </dd>
        </div>
      ))}
    </dl>
    </section>
  );
}

function Versions() {
  return (
    <p class="versions">
      {page.versions.map((version, i) => (
        <span key={i} class="version">
          {i > 0 && <span class="muted">{page.grouped_by === null ? "→" : "·"}</span>}
          <VersionMark version={i} />
          <strong>{version.label}</strong>
          <span class="muted">
            {count(version.rows)} {word("page.rows")} · {whole(version.columns)} {word("page.columns_n")}
          </span>
        </span>
      ))}
    </p>
  );
}
