/** Small parts that several sections share. */

import { type ComponentChildren, createContext, options, type RefObject } from "preact";
import { useContext, useEffect, useId, useLayoutEffect, useRef, useState } from "preact/hooks";
import { whole } from "./format";
import { defined, type FactRow, page, type Severity, word } from "./model";

export function SeverityTag({ severity }: { severity: Severity }) {
  return <span class={`severity ${severity}`}>{word(`severities.${severity}`)}</span>;
}

/** What the analyst says of a part of the page; nothing where nothing is said. */
export function NoteOn({ of }: { of: string }) {
  const html = page.notes[of];
  return html ? <aside class="analyst-note" aria-label={word("page.analyst_note")} dangerouslySetInnerHTML={{ __html: html }} /> : null;
}

/** The heading of a section, what is to be known of it at once, and the analyst's note on it. */
export function SectionHead({ of, title, aside }: { of: string; title: string; aside?: string }) {
  return (
    <>
      <h2>
        {title} {aside && <span class="aside">{aside}</span>}
      </h2>
      <NoteOn of={of} />
    </>
  );
}

/** What stands behind a summary, made when it is opened. */
export function Behind({ summary, kind = "behind", children }: { summary: string; kind?: string; children: () => ComponentChildren }) {
  const [open, setOpen] = useState(false);
  return (
    <details class={kind} onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>{summary}</summary>
      {open && children()}
    </details>
  );
}

/** So many names are listed in a sentence. */
const NAMED = 30;

/** Names in a sentence; of many their number, and the names behind it. */
export function Listed({ sentence, names }: { sentence: string; names: string[] }) {
  const list = names.join(", ");
  if (names.length <= NAMED) return list ? <p class="muted">{word(sentence, { list })}</p> : null;
  return (
    <Behind summary={word(`${sentence}_many`, { n: whole(names.length) })} kind="behind named">
      {() => <p>{list}</p>}
    </Behind>
  );
}

/** A word with its definition one click or key away. */
export function Term({ term, children }: { term: string; children: ComponentChildren }) {
  const [open, setOpen] = useState(false);
  const id = useId();
  const shown = useRef<HTMLSpanElement>(null);
  useLayoutEffect(() => {
    if (open && shown.current) keepInSight(shown.current);
  }, [open]);
  if (!defined(term)) return <>{children}</>;
  return (
    <span class="term">
      <button
        type="button"
        aria-expanded={open}
        aria-describedby={open ? id : undefined}
        onClick={(event) => {
          event.stopPropagation();
          setOpen(!open);
        }}
        onBlur={() => setOpen(false)}
        onKeyDown={(event) => event.key === "Escape" && setOpen(false)}
      >
        {children}
      </button>
      {open && (
        <span class="definition" role="tooltip" id={id} ref={shown}>
          {word(`definitions.${term}`)}
        </span>
      )}
    </span>
  );
}

/** Moves what opened beyond an edge of the window back into it. */
function keepInSight(element: HTMLElement): void {
  const box = element.getBoundingClientRect();
  const { clientWidth, clientHeight } = document.documentElement;
  const left = Math.max(8, Math.min(box.left, clientWidth - 8 - box.width));
  if (left !== box.left) element.style.translate = `${left - box.left}px`;
  if (box.bottom > clientHeight) Object.assign(element.style, { top: "auto", bottom: "100%" });
}

/** A field in which something is looked for; its hint is its name, where it has no other. */
export function Search({ hint, label = hint, sought, seek }: { hint: string; label?: string; sought: string; seek: (text: string) => void }) {
  return <input type="search" placeholder={hint} aria-label={label} value={sought} onInput={(event) => seek(event.currentTarget.value)} />;
}

/** One of a few, as buttons side by side. */
interface ChoiceOf {
  label: string;
  choices: [string, string][];
  chosen: string;
  choose: (name: string) => void;
}

export function Choice({ label, choices, chosen, choose }: ChoiceOf) {
  return (
    <div class="choice" role="group" aria-label={label}>
      {choices.map(([name, text]) => (
        <button type="button" key={name} aria-pressed={chosen === name} onClick={() => choose(name)}>
          {text}
        </button>
      ))}
    </div>
  );
}

/** Old → new, the newest in ink; one value alone for a single version. */
export function Across({ values }: { values: (string | null)[] }) {
  const begin = values.findIndex((value) => value !== null);
  const shown = values.slice(Math.max(begin, 0)).map((value) => value ?? "–");
  const last = shown[shown.length - 1];
  if (page.grouped_by !== null) {
    const different = [...new Set(shown)];
    const listed = different.length > 4 ? [...different.slice(0, 4), "…"] : different;
    return <>{listed.map((value, i) => [i > 0 && " ", <span class="together">{i > 0 && value !== "…" ? `· ${value}` : value}</span>])}</>;
  }
  if (shown.every((value) => value === last)) return <strong>{last}</strong>;
  return (
    <>
      {shown.slice(0, -1).map((value, i) => (
        <span class="older" key={i}>
          <span class="together">{value} →</span>{" "}
        </span>
      ))}
      <strong class="together">{last}</strong>
    </>
  );
}

/** Copies a text, by whatever way the browser leaves open. */
export function Copy({ text }: { text: string }) {
  const [done, setDone] = useState(false);
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(text);
    } catch {
      copyBySelection(text);
    }
    setDone(true);
    setTimeout(() => setDone(false), 2000);
  };
  return (
    <button type="button" class="quiet" onClick={copy} aria-live="polite">
      {word(done ? "page.copied" : "page.copy")}
    </button>
  );
}

/** A file or a frame has no clipboard of its own; a selection can still be copied. */
function copyBySelection(text: string): void {
  const area = document.createElement("textarea");
  area.value = text;
  document.body.append(area);
  area.select();
  document.execCommand("copy");
  area.remove();
}

/** Names of the columns whose values are numbers, which are aligned by their last digit. */
const numbers = new Set(page.columns.filter(({ kind }) => kind === "quantity" || kind === "duration").flatMap(({ names }) => names));

export const isNumeric = (name: string) => numbers.has(name);

/** The heads of some columns of the data. */
export function ColumnHeads({ names }: { names: string[] }) {
  return (
    <>
      {names.map((name, i) => (
        <th scope="col" class={isNumeric(name) ? "number" : undefined} key={i}>
          {name}
        </th>
      ))}
    </>
  );
}

/** The cells of a row of some columns of the data; gaps are dashes. */
export function Cells({ row, names, outlying = [] }: { row: (string | null)[]; names: string[]; outlying?: number[] }) {
  return (
    <>
      {row.map((cell, i) => {
        const far = outlying.includes(i);
        return (
          <td class={`${cell === null ? "gap" : "value"} ${isNumeric(names[i]!) ? "number" : ""} ${far ? "outlying" : ""}`} title={far ? word("page.outlying_cell") : undefined} key={i}>
            {cell ?? "–"}
          </td>
        );
      })}
    </>
  );
}

/** Rows from the first to the last; the taller, the more of a block of rows is meant. */
export function Strip({ places, text, width = 256 }: { places: number[]; text: string; width?: number }) {
  const n = places.length;
  if (!n) return null;
  const most = Math.max(...places);
  return (
    <svg class="strip" width={width} height={16} role="img" aria-label={text}>
      <title>{text}</title>
      <rect class="strip-paper" width={width} height={16} />
      {places.map((share, i) => {
        // Few rows must still be seen: full height is a block that is full, or the fullest of few.
        const height = 16 * Math.max(share, 0.3 * (share / most));
        return share > 0 && <rect key={i} class="strip-part" x={(i * width) / n} width={width / n} y={16 - height} height={height} />;
      })}
    </svg>
  );
}

/** The mark of a version: outlined for older ones, filled for the newest. */
export function VersionMark({ version }: { version: number }) {
  const age = page.versions.length - 1 - version;
  return <span class={`mark age-${Math.min(age, 4)}`} aria-hidden="true" />;
}

/** The heads of a table with one column a version. */
export function VersionHeads({ numbers = true }: { numbers?: boolean }) {
  return (
    <>
      {page.versions.map((version, i) => (
        <th scope="col" class={numbers ? "number" : undefined} key={i}>
          <VersionMark version={i} /> {version.label}
        </th>
      ))}
    </>
  );
}

/** The head of a table with one column a version: what its lines are, and the difference. */
export function Heads({ first = "", differences = false }: { first?: string; differences?: boolean }) {
  return (
    <thead>
      <tr>
        {first ? (
          <th scope="col">
            <Term term={first}>{word(`page.${first}`)}</Term>
          </th>
        ) : (
          <td />
        )}
        <VersionHeads />
        {differences && (
          <th scope="col" class="number">
            <Term term="difference">{word("page.difference")}</Term>
          </th>
        )}
      </tr>
    </thead>
  );
}

/** Counts of every version, and the difference between the last two. */
export function Facts({ first, rows }: { first: string; rows: FactRow[] }) {
  const differences = page.versions.length > 1;
  return (
    <table>
      <Heads first={first} differences={differences} />
      <tbody>
        {rows.map(([name, counts, difference]) => (
          <tr key={name}>
            <th scope="row">
              <Term term={name}>{word(`page.${name}`)}</Term>
            </th>
            {counts.map((count, i) => (
              <td class="number" key={i}>
                {count}
              </td>
            ))}
            {differences && <td class="number muted">{difference}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Chosen in place of a version. */
export const DIFFERENCE = -1;

/** One of the versions; or of all, the difference between the last two. */
export function VersionChoice({ chosen, choose, of }: { chosen: number; choose: (version: number) => void; of?: number[] }) {
  if (page.versions.length < 2) return null;
  const choices = (of ?? page.versions.map((_, i) => i)).map((i): [string, string] => [`${i}`, page.versions[i]!.label]);
  if (!of && page.grouped_by === null) choices.push([`${DIFFERENCE}`, word("page.difference")]);
  return <Choice label={word("page.version")} choices={choices} chosen={`${chosen}`} choose={(name) => choose(Number(name))} />;
}

/** What waits to come in sight; print has no sight, and gets all of it. */
const waiting = new Set<() => void>();

window.addEventListener("beforeprint", () => {
  const before = options.debounceRendering;
  options.debounceRendering = (render) => render(); // printing does not wait
  waiting.forEach((draw) => draw());
  options.debounceRendering = before;
});

/** What came in sight and is not drawn yet: a few at each frame, so that scrolling stays smooth. */
const coming: (() => void)[] = [];
const AT_ONCE = 6;

function drawSoon(draw: () => void): void {
  coming.push(draw);
  if (coming.length === 1) requestAnimationFrame(drawNext);
}

function drawNext(): void {
  coming.slice(0, AT_ONCE).forEach((draw) => draw());
  coming.splice(0, AT_ONCE);
  if (coming.length) requestAnimationFrame(drawNext);
}

/** One observer for all: a thousand of them would cost more at each frame than the drawing. */
const drawing = new Map<Element, () => void>();
const observer = new IntersectionObserver(
  (entries) =>
    entries.forEach(({ isIntersecting, target }) => {
      const draw = drawing.get(target);
      if (!isIntersecting || !draw) return;
      observer.unobserve(target);
      drawSoon(draw);
    }),
  { rootMargin: "300px" },
);

/** Whether what surrounds an element has come near: what stands in it need not be watched before. */
export const Nearby = createContext(true);

/** Whether an element is, or was, near the part of the page that is in sight. */
export function useInSight<T extends Element>(): [RefObject<T | null>, boolean] {
  const ref = useRef<T>(null);
  const near = useContext(Nearby);
  const [seen, setSeen] = useState(false);
  useEffect(() => {
    const element = ref.current;
    if (seen || !element) return;
    const draw = () => setSeen(true);
    waiting.add(draw);
    drawing.set(element, draw);
    if (near) observer.observe(element);
    return () => {
      waiting.delete(draw);
      drawing.delete(element);
      observer.unobserve(element);
    };
  }, [seen, near]);
  return [ref, seen];
}
