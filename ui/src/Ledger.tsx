/**
 * The ledger: one line a column, which opens in place.
 *
 * A wide table has a thousand lines. They stand in pieces, and a browser passes over the pieces
 * that are out of sight: it then scrolls as fast as a short page. To a reader it is one table, so
 * the roles are shown: a piece is none.
 */

import type { ComponentChildren, JSX } from "preact";
import { useEffect, useMemo, useRef, useState } from "preact/hooks";
import { columnAddress, columnIn, follow, go, useAddress } from "./address";
import { ColumnPage } from "./ColumnPage";
import { fits, type Order, orders } from "./filters";
import { hundredths, number } from "./format";
import { type Column, page, word } from "./model";
import { Across, Nearby, NoteOn, Search, Term, useInSight } from "./parts";
import { rehearse, SmallDistribution } from "./Distribution";

/** Lines of a piece, pieces that are drawn before the others, and about how high a line is. */
const PIECE = 30;
const AT_FIRST = 2;
const LINE_PX = 51;

export function Ledger() {
  const address = useAddress();
  const [search, setSearch] = useState("");
  const [kind, setKind] = useState("");
  const [notable, setNotable] = useState(false);
  const [order, setOrder] = useState<Order>("position");
  const kinds = useMemo(() => [...new Set(page.columns.map((column) => column.kind))], []);
  const wanted = (column: Column) => fits(column, { search, kind, notable });
  const sorted = useMemo(() => [...page.columns].sort(orders[order]), [order]);
  const opened = columnIn(address);
  // A wide table is seen before all of it is there, but where an address leads beyond it.
  const [all, setAll] = useState(address !== "");
  useEffect(() => {
    if (!all) requestAnimationFrame(() => setTimeout(() => setAll(true)));
    // The first column that opens should not be slower than the others; some browsers know no rest.
    window.requestIdleCallback?.(rehearse);
  }, []);
  const lines = useMemo(() => new Map<Column, JSX.Element>(), []);
  const isOpen = (column: Column) => opened !== null && column.names.includes(opened);
  // The same element again is not looked at again; a wide table has many lines.
  const lineOf = (column: Column) => {
    const open = isOpen(column);
    if (lines.get(column)?.props.open !== open) {
      lines.set(column, <Line key={page.columns.indexOf(column)} column={column} open={open} />);
    }
    return lines.get(column)!;
  };
  // Cut before they are narrowed: a line that stays is not made anew in another piece.
  const pieces = inPieces(sorted).map((piece) => piece.filter(wanted));
  return (
    <section class="columns" id="columns" aria-label={word("page.columns")}>
      <NoteOn of="columns" />
      <div class="controls">
        <Search hint={word("page.search")} sought={search} seek={setSearch} />
        <select aria-label={word("page.all_kinds")} value={kind} onChange={(event) => setKind(event.currentTarget.value)}>
          <option value="">{word("page.all_kinds")}</option>
          {kinds.map((entry) => (
            <option value={entry} key={entry}>
              {word(`kinds.${entry}`)}
            </option>
          ))}
        </select>
        <select aria-label={word("page.sort")} value={order} onChange={(event) => setOrder(event.currentTarget.value as Order)}>
          {(Object.keys(orders) as Order[])
            .filter((entry) => page.compared || entry !== "change")
            .map((entry) => (
              <option value={entry} key={entry}>
                {word(`page.sort_${entry}`)}
              </option>
            ))}
        </select>
        <label>
          <input type="checkbox" checked={notable} onChange={(event) => setNotable(event.currentTarget.checked)} />{" "}
          {word(page.compared ? "page.changed_only" : "page.findings_only")}
        </label>
      </div>
      <div class={page.grouped_by === null ? "ledger" : "ledger grouped"} role="table" aria-label={word("page.columns")}>
        {(all || opened !== null ? pieces : pieces.slice(0, AT_FIRST)).map((piece, i) => (
          <Piece key={i} first={i === 0} far={i > 0 && !piece.some(isOpen)} size={piece.length}>
            {piece.map(lineOf)}
          </Piece>
        ))}
      </div>
      {!sorted.some(wanted) && <p class="muted">{word("page.none_found")}</p>}
    </section>
  );
}

function inPieces(columns: Column[]): Column[][] {
  return Array.from({ length: Math.ceil(columns.length / PIECE) }, (_, i) => columns.slice(i * PIECE, (i + 1) * PIECE));
}

interface PieceOf {
  first: boolean;
  far: boolean;
  size: number;
  children: ComponentChildren;
}

/** Some lines, the first of them below the heads; on paper all are one table. */
function Piece({ first, far, size, children }: PieceOf) {
  const [ref, near] = useInSight<HTMLDivElement>();
  return (
    <div class={far ? "piece far" : "piece"} style={far ? { containIntrinsicBlockSize: `auto ${size * LINE_PX}px` } : {}} ref={ref}>
      <table class="lines" role="none">
        <colgroup>
          {["name", "spread", "typical", "missing", "last"].map((wide) => (
            <col class={`wide-${wide}`} key={wide} />
          ))}
        </colgroup>
        {first && <Heads />}
        <Nearby.Provider value={near}>{children}</Nearby.Provider>
      </table>
    </div>
  );
}

function Heads() {
  return (
    <thead role="rowgroup">
      <tr role="row">
        <th role="columnheader" scope="col">
          {word("page.column")}
        </th>
        <th role="columnheader" scope="col">
          <Term term="distribution">{word("page.distribution")}</Term> <small>{legend()}</small>
        </th>
        <th role="columnheader" scope="col" class="number">
          <Term term="typical">{word("page.typical")}</Term>
        </th>
        <th role="columnheader" scope="col" class="number">
          <Term term="missing">{word("page.missing")}</Term>
        </th>
        <th role="columnheader" scope="col" class={page.compared ? "" : "number"}>
          {page.compared ? <Term term="change">{word("page.change")}</Term> : <Term term="distinct">{word("page.distinct")}</Term>}
        </th>
      </tr>
    </thead>
  );
}

function legend(): string {
  if (page.versions.length < 2) return "";
  const older = page.versions.slice(0, -1).map((version) => version.label);
  return word("page.outlined_filled", { old: older.join(", "), new: page.versions[page.versions.length - 1]!.label });
}

function Line({ column, open }: { column: Column; open: boolean }) {
  const body = useRef<HTMLTableSectionElement>(null);
  useEffect(() => {
    if (open) body.current?.scrollIntoView({ block: "start" });
  }, [open]);
  return (
    <tbody ref={body} class={open ? "line open" : "line"} data-column={column.name} role="rowgroup">
      <Row column={column} open={open} />
      {open && (
        <tr class="opened" role="row">
          <td colSpan={5} role="cell">
            <ColumnPage column={column} />
          </td>
        </tr>
      )}
    </tbody>
  );
}

function Row({ column, open }: { column: Column; open: boolean }) {
  const address = columnAddress(column.name);
  const newest = column.versions[column.versions.length - 1];
  return (
    <tr role="row" onClick={() => go(open ? "columns" : address)}>
      <th role="rowheader" scope="row">
        <a
          class="column-name"
          href={`#${address}`}
          aria-expanded={open}
          onClick={(event) => {
            event.stopPropagation();
            follow(open ? "columns" : address)(event);
          }}
        >
          <Broken name={column.name} />
        </a>
        <small>
          {formerName(column)}
          {word(`kinds.${column.kind}`)}
        </small>
      </th>
      <td role="cell" class="spread-cell">
        <SmallDistribution column={column} />
      </td>
      <td role="cell" class="number typical">
        <Typical column={column} />
      </td>
      <td role="cell" class="number">
        {newest ? (
          <Across values={lastStep(column).map((version) => version && version.missing_text)} />
        ) : (
          word("page.not_there")
        )}
      </td>
      {page.compared ? (
        <td role="cell">
          <Change column={column} />
        </td>
      ) : (
        <td role="cell" class="number">{newest ? newest.distinct_text : "–"}</td>
      )}
    </tr>
  );
}

/** A long name goes on in the next line where its words part, if it can. */
function Broken({ name }: { name: string }) {
  return <>{name.split(/(?<=[_.\-/:])(?=.)/u).map((part, i) => [i > 0 && <wbr />, part])}</>;
}

/** The ledger tells the last step; the column's page tells all versions. */
function lastStep(column: Column): Column["versions"] {
  return page.grouped_by === null ? column.versions.slice(-2) : column.versions;
}

function formerName(column: Column): string {
  const former = column.names.find((name) => name !== null && name !== column.name);
  return former ? `${word("page.former_name", { name: former })} · ` : "";
}

/** Medians go old → new; what is longer than a number shows the newest only. */
function Typical({ column }: { column: Column }) {
  const newest = [...column.versions].reverse().find((version) => version !== null)!;
  if (column.kind === "quantity") return <Across values={lastStep(column).map((version) => version && version.typical)} />;
  return (
    <span class="typical-text">
      {newest.typical.split(/(?<=…) /).map((part, i) => [i > 0 && " ", <span class="together">{part}</span>])}
    </span>
  );
}

function Change({ column }: { column: Column }) {
  if (column.change === null) return <span class="muted">–</span>;
  return (
    <span class={`change ${column.severity ?? "steady"}`} title={number(column.change)}>
      <svg viewBox="0 0 80 8" width="80" height="8" role="img" aria-label={hundredths(column.change)}>
        <rect class="track" width="80" height="8" />
        <rect class="moved" width={Math.max(column.change > 0 ? 1 : 0, 80 * column.change)} height="8" />
      </svg>
    </span>
  );
}
