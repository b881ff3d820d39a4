/** Explore: drawn rows, chosen by brushing, and any column against any other. */

import { useEffect, useMemo, useRef, useState } from "preact/hooks";
import { settle, useAddress } from "./address";
import { ApartFrom } from "./ExploreApart";
import { type Brush, Facet } from "./ExploreFacet";
import { addressOf, type Among, type Asked, askedIn, CHOSEN, filterOf, type Groups, groupsOf, sizeOf, type Tongue } from "./exploreModel";
import { Plane } from "./ExplorePlane";
import { textOf, wordsOf } from "./exploreText";
import { whole } from "./format";
import { page, word } from "./model";
import { Choice, Copy, Listed, Search, SectionHead, useInSight } from "./parts";
import { type Field, type Table, tableOf } from "./sampledRows";
import { csvText, save } from "./saving";
import { sorted, SortHead, useSorting } from "./sorting";

/** Rows that are shown. */
const SHOWN_ROWS = 50;
/** Columns that answer a brush at once. */
const AT_ONCE = 12;
/** A choice rests so long, in milliseconds, before the address follows. */
const RESTING = 200;

export function Explore() {
  if (page.explore === null) return null;
  return <InSight />;
}

/** The section takes its room at once; its rows are unpacked when it comes near. */
function InSight() {
  const [ref, seen] = useInSight<HTMLElement>();
  const address = useAddress();
  // A choice in the address leads here once; afterwards the address follows the choice.
  useEffect(() => {
    if (address.startsWith("explore/")) ref.current?.scrollIntoView();
  }, []);
  return (
    <section class="explore" id="explore" aria-label={word("page.explore_section")} ref={ref}>
      <SectionHead of="explore" title={word("page.explore_section")} aside={page.explore!.sentence} />
      {seen || address.startsWith("explore") ? <Opened address={address} /> : <div class="explore-room" />}
    </section>
  );
}

function usual(table: Table): Asked {
  const names = page.explore!.first.filter((name) => table.fields.some((field) => field.name === name));
  const numbers = table.fields.filter((field) => !field.levels.length && !field.isTime).map((field) => field.name);
  const strongest = page.matrix?.strongest.find(([x, y]) => numbers.includes(x) && numbers.includes(y));
  const all = table.fields.map((field) => field.name);
  const across = strongest?.[0] ?? names[0] ?? all[0]!;
  const up = strongest?.[1] ?? [...names, ...all].find((name) => name !== across)!;
  const compared = page.versions.length > 1 && page.grouped_by === null && page.explore!.versions.slice(-2).every((version) => version.rows);
  return { across, up, by: "", split: false, among: compared ? "against" : page.versions.length - 1, brushed: new Map() };
}

function Opened({ address }: { address: string }) {
  const table = useMemo(() => tableOf(page.explore!.versions), []);
  const [asked, ask] = useState(() => askedIn(address, table, usual(table)));
  const latest = useRef(asked);
  const written = useRef(address);
  const resting = useRef(0);
  useEffect(() => {
    if (address === written.current) return;
    clearTimeout(resting.current); // who goes elsewhere is not called back
    if (!address.startsWith("explore/")) return;
    latest.current = askedIn(address, table, usual(table));
    written.current = address;
    ask(latest.current);
    document.getElementById("explore")!.scrollIntoView();
  }, [address]);
  const change = (part: Partial<Asked>) => {
    latest.current = { ...latest.current, ...part };
    ask(latest.current);
    clearTimeout(resting.current);
    resting.current = window.setTimeout(() => {
      written.current = addressOf(table, latest.current);
      settle(written.current);
    }, RESTING);
  };
  const brush: Brush = (field, bins) => {
    const brushed = new Map(latest.current.brushed);
    if (bins?.size) brushed.set(field.name, bins);
    else brushed.delete(field.name);
    change({ brushed });
  };
  const groups = useMemo(() => groupsOf(table, asked), [asked.brushed, asked.among]);
  return (
    <>
      <div class="explore-parts">
        <Facets table={table} groups={groups} asked={asked} brush={brush} />
        <div class="explore-middle">
          <Pickers table={table} asked={asked} change={change} />
          <Plane table={table} groups={groups} asked={asked} />
          <Chosen table={table} groups={groups} asked={asked} clear={() => change({ brushed: new Map() })} />
        </div>
        <ApartFrom table={table} groups={groups} asked={asked} />
      </div>
      <Rows table={table} groups={groups} asked={asked} />
      <Listed sentence="page.explore_left_out" names={page.explore!.left_out} />
    </>
  );
}

/** The columns as small figures, each to be brushed: those that are asked for first. */
function Facets({ table, groups, asked, brush }: { table: Table; groups: Groups; asked: Asked; brush: Brush }) {
  const [sought, seek] = useState("");
  // Those beyond the first few are out of sight, or nearly: they follow after the others are painted.
  const [late, follow] = useState(groups);
  useEffect(() => {
    const waiting = setTimeout(() => follow(groups));
    return () => clearTimeout(waiting);
  }, [groups]);
  const order = useMemo(() => {
    const first = [...asked.brushed.keys(), ...page.explore!.first];
    const rank = (field: Field) => (first.indexOf(field.name) + 1 || first.length + 1);
    return [...table.fields].sort((a, b) => rank(a) - rank(b));
  }, []); // A column does not move under the hand that brushes it.
  const shown = order.filter((field) => field.name.toLocaleLowerCase().includes(sought.trim().toLocaleLowerCase()));
  return (
    <div class="facets" role="group" aria-label={word("page.explore_brush")}>
      {table.fields.length > 8 && (
        <Search hint={word("page.search")} label={word("page.explore_brush")} sought={sought} seek={seek} />
      )}
      {shown.map((field, place) => (
        <Facet key={field.name} field={field} groups={place < AT_ONCE ? groups : late} bins={asked.brushed.get(field.name) ?? null} brush={brush} />
      ))}
    </div>
  );
}

function Pickers({ table, asked, change }: { table: Table; asked: Asked; change: (part: Partial<Asked>) => void }) {
  const names = table.fields.map((field) => field.name);
  const select = (key: "across" | "up" | "by") => (
    <label>
      {word(`page.explore_${key}`)}{" "}
      <select value={asked[key]} onChange={(event) => change({ [key]: event.currentTarget.value })}>
        {key === "by" && <option value="">–</option>}
        {names.map((name) => (
          <option value={name} key={name}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
  return (
    <div class="controls">
      {select("across")}
      {select("up")}
      {select("by")}
      {asked.by && (
        <label>
          <input type="checkbox" checked={asked.split} onChange={() => change({ split: !asked.split })} /> {word("page.explore_split")}
        </label>
      )}
      {page.versions.length > 1 && <AmongChoice asked={asked} choose={(among) => change({ among })} />}
    </div>
  );
}

function AmongChoice({ asked, choose }: { asked: Asked; choose: (among: Among) => void }) {
  const labels = page.versions.map((version) => version.label);
  const choices: [string, string][] = labels.map((label, i) => [`${i}`, label]);
  if (page.grouped_by === null) choices.unshift(["against", word("page.explore_against", { old: labels[labels.length - 2]!, new: labels[labels.length - 1]! })]);
  choices.push(["all", word("page.explore_both")]);
  return (
    <Choice
      label={word("page.version")}
      choices={choices}
      chosen={`${asked.among}`}
      choose={(name) => choose(name === "all" || name === "against" ? name : Number(name))}
    />
  );
}

const TONGUES: [Tongue, string][] = [
  ["pandas", "pandas"],
  ["polars", "Polars"],
  ["sql", "SQL"],
];

/** The choice in words, and ways to take it along. */
function Chosen({ table, groups, asked, clear }: { table: Table; groups: Groups; asked: Asked; clear: () => void }) {
  const [tongue, setTongue] = useState<Tongue>("pandas");
  const n = sizeOf(groups, CHOSEN);
  const keep = () => {
    const rows = rowsOf(groups, CHOSEN, table.rows);
    const lines = rows.map((row) => table.fields.map((field) => (Number.isNaN(field.values[row]!) ? "" : textOf(field, field.values[row]!, true))));
    save("rows.csv", new Blob([csvText([table.fields.map((field) => field.name), ...lines])], { type: "text/csv" }));
  };
  const dtypeOf = (name: string) => page.columns.find((column) => column.name === name)?.versions.at(-1)?.dtype ?? "";
  const filter = asked.brushed.size ? filterOf(table, asked, tongue, dtypeOf) : "";
  return (
    <div class="chosen">
      <p aria-live="polite">
        <strong>{word("page.explore_n_chosen", { n: whole(n) })}</strong>{" "}
        <span class="muted">{[...asked.brushed].map(([name, bins]) => `${name}: ${wordsOf(table.fields.find((f) => f.name === name)!, bins)}`).join(" · ")}</span>{" "}
        {asked.brushed.size > 0 && (
          <button type="button" class="quiet" onClick={clear}>
            {word("page.explore_clear")}
          </button>
        )}{" "}
        <button type="button" class="quiet" onClick={keep}>
          {word("page.explore_csv")}
        </button>
      </p>
      {filter && (
        <div class="recipe">
          <p class="muted">
            {word("page.explore_filter")}{" "}
            <Choice label={word("page.explore_filter")} choices={TONGUES} chosen={tongue} choose={(name) => setTongue(name as Tongue)} /> <Copy text={filter} />
          </p>
          <pre tabIndex={0}>{filter}</pre>
        </div>
      )}
    </div>
  );
}

function rowsOf(groups: Groups, group: number, most: number): number[] {
  const rows: number[] = [];
  for (let row = 0; row < groups.length && rows.length < most; row++) if (groups[row] === group) rows.push(row);
  return rows;
}

/** The first of the chosen rows, the columns that are asked for first. */
function Rows({ table, groups, asked }: { table: Table; groups: Groups; asked: Asked }) {
  const [open, setOpen] = useState(false);
  return (
    <details class="explore-rows" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>{word("page.explore_rows")}</summary>
      {open && <RowsTable table={table} groups={groups} asked={asked} />}
    </details>
  );
}

/** A cell as rows are sorted by it: missing ones are none. */
function cellOf(field: Field, row: number): string | number | null {
  const value = field.values[row]!;
  return Number.isNaN(value) ? null : field.levels.length ? field.levels[value]! : value;
}

/** Whether a number lies beyond Tukey's fences of the newest version. */
function isOutlying(field: Field, value: number): boolean {
  const box = field.levels.length ? null : page.columns.find((column) => column.name === field.name)?.shapes.at(-1)?.box;
  if (!box) return false;
  const [low, high] = [box[1]!, box[3]!];
  const reach = 1.5 * (high - low);
  return value < low - reach || value > high + reach;
}

function RowsTable({ table, groups, asked }: { table: Table; groups: Groups; asked: Asked }) {
  const first = [...asked.brushed.keys(), asked.across, asked.up, asked.by];
  const rank = (field: Field) => first.indexOf(field.name) + 1 || first.length + 1;
  const fields = [...table.fields].sort((a, b) => rank(a) - rank(b));
  const [sorting, sort] = useSorting();
  const all = rowsOf(groups, CHOSEN, table.rows);
  const by = sorting && fields[sorting.by];
  const rows = (by ? sorted(all.map((row) => cellOf(by, row)), sorting.down).map((i) => all[i]!) : all).slice(0, SHOWN_ROWS);
  return (
    <div class="wide" tabIndex={0}>
      <table>
        <thead>
          <tr>
            {fields.map((field, i) => (
              <SortHead name={field.name} at={i} number={!field.levels.length} sorting={sorting} sort={sort} key={field.name} />
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row}>
              {fields.map((field) => {
                const value = field.values[row]!;
                const style = Number.isNaN(value) ? "gap" : field.levels.length ? "value" : "number";
                const far = isOutlying(field, value);
                const marks = `${asked.brushed.has(field.name) ? "of-choice" : ""} ${far ? "outlying" : ""}`;
                return (
                  <td class={`${style} ${marks}`} title={far ? word("page.outlying_cell") : undefined} key={field.name}>
                    {Number.isNaN(value) ? "–" : textOf(field, value)}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
