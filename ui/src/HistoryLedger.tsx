/** The ledger of a history: a line a column, a cell a version, and the course of a column in place. */

import { useEffect, useLayoutEffect, useMemo, useRef, useState } from "preact/hooks";
import { quiet } from "./axes";
import { columnAddress, columnIn, follow, go, useAddress } from "./address";
import { cellPaths, placeAt } from "./cells";
import { courseFigure, missingFigure, numbersOf, twoFigure } from "./courseFigure";
import type { HistoryColumn } from "./historyData";
import { nameOf, type Span, shown } from "./historyModel";
import { word } from "./model";
import { Behind, Choice, Search } from "./parts";
import { Saves } from "./Saves";

export function HistoryLedger() {
  const { columns } = shown();
  const address = useAddress();
  const opened = columnIn(address);
  const [search, setSearch] = useState("");
  const [notable, setNotable] = useState(false);
  const wanted = (column: HistoryColumn) =>
    column.name.toLocaleLowerCase().includes(search.trim().toLocaleLowerCase()) && (!notable || column.severity !== null);
  const left = columns.filter(wanted);
  return (
    <section class="columns" id="columns" aria-label={word("page.columns")}>
      <h2 class="unseen">{word("page.columns")}</h2>
      <div class="controls">
        <Search hint={word("page.search")} sought={search} seek={setSearch} />
        <label>
          <input type="checkbox" checked={notable} onChange={(event) => setNotable(event.currentTarget.checked)} /> {word("page.changed_only")}
        </label>
      </div>
      <div class="ledger">
        <table class="lines history-lines">
          <colgroup>
            {["name", "cells", "typical", "missing"].map((wide) => (
              <col class={`history-${wide}`} key={wide} />
            ))}
          </colgroup>
          <thead>
            <tr>
              <th scope="col">{word("page.column")}</th>
              <th scope="col">
                {word("page.history_cells")}
                <span class="shades" aria-hidden="true">
                  <i class="shade-0" />
                  <i class="shade-3" />
                  <i class="shade-6" />
                </span>
              </th>
              <th scope="col" class="number">
                {word("page.typical")}
              </th>
              <th scope="col" class="number">
                {word("page.missing")}
              </th>
            </tr>
          </thead>
          {left.map((column) => (
            <Line key={column.name} column={column} open={column.name === opened} />
          ))}
        </table>
      </div>
      {!left.length && <p class="muted">{word("page.none_found")}</p>}
    </section>
  );
}

function Line({ column, open }: { column: HistoryColumn; open: boolean }) {
  const body = useRef<HTMLTableSectionElement>(null);
  useEffect(() => {
    if (open) body.current?.scrollIntoView({ block: "nearest" });
  }, [open]);
  const row = useMemo(() => <Row column={column} open={open} />, [column, open]);
  return (
    <tbody ref={body} class={open ? "line open" : "line"} data-column={column.name}>
      {row}
      {open && (
        <tr class="opened">
          <td colSpan={4}>
            <Course column={column} />
          </td>
        </tr>
      )}
    </tbody>
  );
}

function Row({ column, open }: { column: HistoryColumn; open: boolean }) {
  const { labels } = shown().versions;
  const address = columnAddress(column.name);
  const [pointed, point] = useState<number | null>(null);
  const [level, now, usual] = column.typical;
  const usually = (range: string) => range && <small>{word("page.history_usual", { range })}</small>;
  return (
    <tr onClick={() => go(open ? "columns" : address)}>
      <th scope="row">
        <a
          class="column-name"
          href={`#${address}`}
          aria-expanded={open}
          title={column.name}
          onClick={(event) => {
            event.stopPropagation();
            follow(open ? "columns" : address)(event);
          }}
        >
          {column.name}
        </a>
        <small>{word(`kinds.${column.kind}`)}</small>
      </th>
      <td class="cells-cell">
        <svg
          class="cells"
          viewBox={`0 0 ${labels.length} 1`}
          preserveAspectRatio="none"
          role="img"
          aria-label={`${column.name}: ${column.state}`}
          onPointerMove={(event) => point(placeAt(event.currentTarget, event.clientX, labels.length))}
          onPointerLeave={() => point(null)}
        >
          {cellPaths(column.unusual, column.marks).map(([look, path]) => (
            <path key={look} class={look} d={path} />
          ))}
        </svg>
        <small class={pointed === null && column.severity ? `state ${column.severity}` : "state"}>
          {pointed === null ? column.state : `${labels[pointed]}: ${valueIn(column, pointed)}`}
        </small>
      </td>
      <td class="number">
        {level && <span class="level" title={level}>{level}</span>} <strong>{now}</strong>
        {usually(usual)}
      </td>
      <td class="number">
        <strong>{column.missing_now[0]}</strong>
        {usually(column.missing_now[1])}
      </td>
    </tr>
  );
}

/** In a few words, what a column is in a version. */
function valueIn(column: HistoryColumn, version: number): string {
  const lines = numbersOf(column, [version, version]);
  const typical = column.quantiles.length ? lines[5] : column.shares.length ? lines[3] : lines[2];
  const missing = lines[1]!;
  return `${typical![0]} ${typical![1]}, ${missing[0]} ${missing[1]}`;
}

/** So many versions before a change are put together, the last ones. */
const MOST_BEFORE = 24;

type Shown = "course" | "missing" | "two";

function Course({ column }: { column: HistoryColumn }) {
  const { versions, findings } = shown();
  const n = versions.labels.length;
  const [way, setWay] = useState<Shown>(column.about_missing ? "missing" : "course");
  const [chosen, choose] = useState<[Span, Span]>([
    [Math.max(n - 2, 0), Math.max(n - 2, 0)],
    [n - 1, n - 1],
  ]);
  const frame = useRef<HTMLElement>(null);
  const ref = useRef<HTMLDivElement>(null);
  const own = findings.filter((finding) => finding.columns.includes(column.name) && finding.form !== "season");
  const steps = own.filter((finding) => finding.first > 0);
  useLayoutEffect(() => {
    const width = Math.max(280, Math.min(ref.current!.clientWidth, 1100));
    const drawing =
      way === "course" ? courseFigure(column, width) : way === "missing" ? missingFigure(column, width) : twoFigure(column, chosen, width);
    ref.current!.replaceChildren(quiet(drawing));
  }, [column, way, chosen]);
  const select = (side: 0 | 1) => (
    <select
      aria-label={word(side ? "page.history_newer" : "page.history_older")}
      value={chosen[side].join()}
      onChange={(event) => {
        const span = event.currentTarget.value.split(",").map(Number) as Span;
        choose(side ? [chosen[0], span] : [span, chosen[1]]);
      }}
    >
      {chosen[side][0] !== chosen[side][1] && <option value={chosen[side].join()}>{nameOf(chosen[side])}</option>}
      {versions.labels.map((label, place) => (
        <option value={[place, place].join()} key={place}>
          {label}
        </option>
      ))}
    </select>
  );
  return (
    <figure class="course" ref={frame}>
      <div class="controls">
        <Choice
          label={word("page.drawn_as")}
          choices={(["course", "missing", "two"] as const).map((name) => [name, word(`page.history_${name}`)])}
          chosen={way}
          choose={(name) => setWay(name as Shown)}
        />
        {way === "two" && (
          <>
            {select(0)} → {select(1)}
            {steps.slice(0, 3).map((finding) => (
              <button
                type="button"
                class="quiet"
                key={finding.first}
                onClick={() => choose([[Math.max(0, finding.first - MOST_BEFORE), finding.first - 1], [finding.first, finding.last]])}
              >
                {word("page.history_before_and", { label: versions.labels[finding.first]! })}
              </button>
            ))}
          </>
        )}
      </div>
      <div ref={ref} role="img" aria-label={`${column.name}: ${word(`page.history_${way}`)}. ${column.state}`} />
      <figcaption>{caption(column, way)} <Saves inside={frame} name={column.name} table={() => <Numbers column={column} chosen={chosen} all={way !== "two"} />} /></figcaption>
      {own.map((finding, i) => (
        <p class="finding-sentence" key={i}>
          {finding.sentences.find(([name]) => name === column.name)?.[1] ?? finding.title}
        </p>
      ))}
      {way === "two" ? (
        <Numbers column={column} chosen={chosen} all={false} />
      ) : (
        <Behind summary={word("page.table_behind")}>{() => <Numbers column={column} chosen={chosen} all={true} />}</Behind>
      )}
    </figure>
  );
}

function caption(column: HistoryColumn, way: Shown): string {
  if (way === "missing") return word("page.history_caption_missing");
  if (way === "two") return word(column.quantiles.length ? "page.history_caption_boxes" : "page.history_caption_levels");
  if (column.quantiles.length) return word("page.history_caption_quantiles");
  return word(column.shares.length ? "page.history_caption_shares" : "page.history_caption_distinct");
}

/** The numbers behind: of two versions, or of all. */
function Numbers({ column, chosen, all }: { column: HistoryColumn; chosen: [Span, Span]; all: boolean }) {
  const { labels } = shown().versions;
  const spans = all ? labels.map((_, i): Span => [i, i]) : chosen;
  const lines = spans.map((span) => numbersOf(column, span));
  return (
    <div class="wide" tabIndex={0}>
      <table class="course-numbers">
        <thead>
          <tr>
            <th scope="col">{word("page.version")}</th>
            {lines[0]!.map(([name], i) => (
              <th scope="col" class="number" key={i}>
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {spans.map((span, i) => (
            <tr key={i}>
              <th scope="row">{nameOf(span)}</th>
              {lines[i]!.map(([, value], j) => (
                <td class="number" key={j}>
                  {value}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
