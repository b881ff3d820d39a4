/** A column's distribution in the ledger and, larger, on the column's own page. */

import { useLayoutEffect, useMemo, useRef, useState } from "preact/hooks";
import { type Bars, barsOf, finest, logBarsOf } from "./bars";
import { quiet } from "./axes";
import { largeFigure, levelsFigure, rows, share, shares } from "./figure";
import { count, drawn, percent, whole } from "./format";
import { type Column, page, type Distribution as DistributionData, word } from "./model";
import { Behind, Choice, useInSight } from "./parts";
import { Recipe } from "./Recipe";
import { Saves } from "./Saves";
import { pointsOf, shapeFigure, type Way } from "./shapeFigure";
import { smallFigure } from "./smallFigure";

const SMALL = { width: 230, height: 42, bars: 36 };
const LARGE = { width: 720, bars: 72 };
/** Of an opened line, left and right together. */
const MARGINS = 16;

/** Rows of each version that the distribution stands for. */
function totalsOf(column: Column): number[] {
  return column.versions.map((version) => version?.present ?? 0);
}

function described(column: Column): string {
  const typical = column.versions
    .map((version, i) => `${page.versions[i]!.label}: ${version ? version.typical : word("page.not_there")}`)
    .join("; ");
  return `${word("page.figure_of", { column: column.name })}. ${word("page.typical")} ${typical}.`;
}

export function SmallDistribution({ column }: { column: Column }) {
  const [ref, seen] = useInSight<HTMLDivElement>();
  useLayoutEffect(() => {
    if (!seen || !column.distribution || !ref.current) return;
    const bars = barsOf(column.distribution, SMALL.bars);
    if (bars.bars.length) ref.current.replaceChildren(smallFigure(bars, totalsOf(column), SMALL.width, SMALL.height));
  }, [seen]);
  if (!column.distribution) return <div class="spread-small none">–</div>;
  return <div class="spread-small" ref={ref} role="img" aria-label={described(column)} />;
}

/** Draws a large figure for nobody: at the first time a browser has its code to get ready. */
export function rehearse(): void {
  const column = page.columns.find(({ kind, distribution }) => kind === "quantity" && distribution);
  const bars = column?.distribution && barsOf(column.distribution, LARGE.bars);
  if (column && bars?.bars.length) quiet(largeFigure(bars, shares(totalsOf(column)), LARGE.width, column.name));
}

type Shown = "bars" | Way;

/** Steps in which neighbouring bars are put together. */
const BINS = [9, 18, 36, 72, 256];

/** A column's distribution in full: as bars of any width, or in other ways that suit a quantity. */
export function LargeDistribution({ column, distribution }: { column: Column; distribution: DistributionData }) {
  const ref = useRef<HTMLDivElement>(null);
  const figure = useRef<HTMLElement>(null);
  // Read before anything is changed: afterwards all lines would have to be laid out for it.
  const ledger = useMemo(() => document.querySelector(".ledger")?.clientWidth, []);
  const [way, setWay] = useState<Shown>("bars");
  const [most, setMost] = useState(LARGE.bars);
  const [log, setLog] = useState(false);
  const [counted, setCounted] = useState(false);
  const label = column.kind === "text" ? word("page.characters") : column.name;
  const onLog = log && column.log_distribution !== null;
  const bars = onLog ? logBarsOf(column.log_distribution!, most) : barsOf(distribution, most);
  const totals = totalsOf(column);
  const heights = counted ? rows(totals) : shares(totals);
  const ways = (["density", "cumulative", "box", "normal"] as const).filter((other) =>
    column.shapes.some((shape) => shape?.[other]?.length),
  );
  const drawn = useMemo(() => [...BINS.filter((n) => n < finest(distribution)), ...(finest(distribution) ? [256] : [])].slice(0, 5), [distribution]);
  useLayoutEffect(() => {
    if (!bars.bars.length) return;
    const room = ledger === undefined ? ref.current!.clientWidth : ledger - MARGINS;
    const width = Math.max(300, Math.min(LARGE.width, room));
    const drawing =
      way !== "bars"
        ? shapeFigure(column.shapes, way, width, label)
        : distribution.type === "levels"
          ? levelsFigure(bars, heights, width)
          : largeFigure(bars, heights, width, label);
    ref.current!.replaceChildren(quiet(drawing));
  }, [distribution, way, most, onLog, counted]);
  const numbers = () =>
    way === "bars" ? (
      <BarNumbers bars={bars} totals={totals} />
    ) : way === "box" ? (
      <BoxNumbers column={column} />
    ) : (
      <PointNumbers column={column} way={way} />
    );
  return (
    <figure class="spread-large" ref={figure}>
      <div class="controls">
        {ways.length > 0 && (
          <Choice
            label={word("page.drawn_as")}
            choices={(["bars", ...ways] as Shown[]).map((name) => [name, word(`page.as_${name}`)])}
            chosen={way}
            choose={(name) => setWay(name as Shown)}
          />
        )}
        {way === "bars" && drawn.length > 1 && (
          <label>
            {word("page.bins")}{" "}
            <select value={String(most)} onChange={(event) => setMost(Number(event.currentTarget.value))}>
              {drawn.map((n) => (
                <option value={n} key={n}>
                  {n === 256 ? word("page.bins_finest") : word("page.bins_to", { n })}
                </option>
              ))}
            </select>
          </label>
        )}
        {way === "bars" && column.log_distribution && (
          <Choice
            label={word("page.scale")}
            choices={[
              ["linear", word("page.linear")],
              ["log", word("page.logarithmic")],
            ]}
            chosen={log ? "log" : "linear"}
            choose={(name) => setLog(name === "log")}
          />
        )}
        {way === "bars" && (
          <Choice
            label={word("page.heights")}
            choices={[
              ["shares", word("page.shares")],
              ["rows", word("page.rows")],
            ]}
            chosen={counted ? "rows" : "shares"}
            choose={(name) => setCounted(name === "rows")}
          />
        )}
      </div>
      <div ref={ref} role="img" aria-label={`${described(column)} ${word(`page.as_${way}`)}.`} />
      <figcaption>
        {way === "bars" && <Beyond bars={bars} totals={totals} onLog={onLog} />}
        {way === "bars" && distribution.type === "levels" && distribution.other_levels > 0 && (
          <span>{word("page.further_levels", { n: whole(distribution.other_levels) })}. </span>
        )}
        {way === "normal" && <span>{word("page.normal_caption")} </span>}
        {way === "box" && <span>{word("page.box_caption")} </span>}
        <Saves inside={figure} name={column.name} table={numbers} />
      </figcaption>
      <Recipe of={way === "bars" ? distribution.type : way} facts={recipeFacts(column, distribution)} lengths={column.kind === "text"} />
      <Behind summary={word("page.table_behind")}>{numbers}</Behind>
    </figure>
  );
}

/** Bins in full, as the finest bars draw them. */
function recipeFacts(column: Column, distribution: DistributionData): Record<string, string | number> {
  if (distribution.type !== "bins") return { name: column.name };
  const start = distribution.start - (distribution.step ?? 0) / 2;
  return { name: column.name, start, width: distribution.width, bins: distribution.counts[0]!.length };
}

/** Rows that the axis does not show. */
function Beyond({ bars, totals, onLog }: { bars: Bars; totals: number[]; onLog: boolean }) {
  return (
    <>
      {page.versions.map((version, i) => {
        const beyond = bars.beyond[i] ?? 0;
        const drawn = bars.bars.reduce((sum, bar) => sum + bar.counts[i]!, 0);
        const notPositive = onLog && drawn ? totals[i]! - drawn - beyond : 0;
        return (
          <span key={i}>
            {beyond > 0 && <>{`${version.label}: ${word("page.beyond_axis", { n: count(beyond) })}. `}</>}
            {notPositive > 0 && <>{`${version.label}: ${word("page.no_logarithm", { n: count(notPositive) })}. `}</>}
          </span>
        );
      })}
    </>
  );
}

function BarNumbers({ bars, totals }: { bars: Bars; totals: number[] }) {
  return (
    <table>
      <thead>
        <tr>
          <th scope="col">{word("page.value")}</th>
          {page.versions.map((version) => (
            <th scope="col" class="number" key={version.label} colSpan={2}>
              {version.label}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {bars.bars.map((bar, i) => (
          <tr key={i}>
            <th scope="row">{bar.label}</th>
            {bar.counts.map((rows, version) => [
              <td class="number">{drawn(rows)}</td>,
              <td class="number muted">{percent(share(bar, version, totals))}</td>,
            ])}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function PointNumbers({ column, way }: { column: Column; way: Exclude<Way, "box"> }) {
  const across = way === "normal" ? word("page.normal_score") : word("page.value");
  const up = way === "normal" ? word("page.value") : word(way === "density" ? "page.density" : "page.cumulative_share");
  return (
    <table>
      <thead>
        <tr>
          <th scope="col">{word("page.version")}</th>
          <th scope="col" class="number">
            {across}
          </th>
          <th scope="col" class="number">
            {up}
          </th>
        </tr>
      </thead>
      <tbody>
        {pointsOf(column.shapes, way).flatMap((points, version) =>
          points.map(([x, y]) => (
            <tr key={`${version} ${x}`}>
              <th scope="row">{page.versions[version]!.label}</th>
              <td class="number">{x}</td>
              <td class="number">{y}</td>
            </tr>
          )),
        )}
      </tbody>
    </table>
  );
}

const BOX = ["low_whisker", "lower_quartile", "median", "upper_quartile", "high_whisker", "below", "above", "lowest", "highest"];

function BoxNumbers({ column }: { column: Column }) {
  return (
    <table>
      <thead>
        <tr>
          <td />
          {page.versions.map((version) => (
            <th scope="col" class="number" key={version.label}>
              {version.label}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {BOX.map((part, i) => (
          <tr key={part}>
            <th scope="row">{word(`page.${part}`)}</th>
            {column.shapes.map((shape, version) => (
              <td class="number" key={version}>
                {shape?.box?.[i] ?? "–"}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
