/** A column's spread in the ledger and, larger, on the column's own page. */

import { useEffect, useLayoutEffect, useRef } from "preact/hooks";
import { barsOf } from "./bars";
import { largeFigure, levelsFigure, quiet, share, smallFigure } from "./figure";
import { percent, whole } from "./format";
import { type Column, page, type Spread as SpreadData, word } from "./model";
import { useInSight } from "./parts";
import { Saves } from "./Saves";

const SMALL = { width: 230, height: 42, bars: 36 };
const LARGE = { width: 720, bars: 72 };

/** Rows of each version that the spread stands for. */
function totalsOf(column: Column): number[] {
  return column.versions.map((version) => version?.present ?? 0);
}

function described(column: Column): string {
  const typical = column.versions
    .map((version, i) => `${page.versions[i]!.label}: ${version ? version.typical : word("page.not_there")}`)
    .join("; ");
  return `${word("page.figure_of", { column: column.name })}. ${word("page.typical")} ${typical}.`;
}

export function SmallSpread({ column }: { column: Column }) {
  const [ref, seen] = useInSight<HTMLDivElement>();
  useLayoutEffect(() => {
    if (!seen || !column.spread || !ref.current) return;
    const bars = barsOf(column.spread, SMALL.bars);
    if (bars.bars.length) ref.current.replaceChildren(quiet(smallFigure(bars, totalsOf(column), SMALL.width, SMALL.height)));
  }, [seen]);
  if (!column.spread) return <div class="spread-small none">–</div>;
  return <div class="spread-small" ref={ref} role="img" aria-label={described(column)} />;
}

export function LargeSpread({ column, spread }: { column: Column; spread: SpreadData }) {
  const ref = useRef<HTMLDivElement>(null);
  const figure = useRef<HTMLElement>(null);
  const bars = barsOf(spread, LARGE.bars);
  const totals = totalsOf(column);
  useEffect(() => {
    if (!bars.bars.length) return;
    const width = Math.max(300, Math.min(LARGE.width, ref.current!.clientWidth));
    ref.current!.replaceChildren(
      quiet(
        spread.type === "levels"
          ? levelsFigure(bars, totals, width)
          : largeFigure(bars, totals, width, column.kind === "text" ? word("page.characters") : column.name),
      ),
    );
  }, [spread]);
  return (
    <figure class="spread-large" ref={figure}>
      <div ref={ref} role="img" aria-label={described(column)} />
      <figcaption>
        {bars.beyond.map(
          (n, i) =>
            n > 0 && (
              <span key={i}>
                {page.versions[i]!.label}: {word("page.beyond_axis", { n: whole(n) })}.{" "}
              </span>
            ),
        )}
        {spread.type === "levels" && spread.further_levels > 0 && (
          <span>{word("page.further_levels", { n: whole(spread.further_levels) })}.</span>
        )}
        <Saves inside={figure} name={column.name} numbers />
      </figcaption>
      <details class="behind">
        <summary>{word("page.table_behind")}</summary>
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
                {bar.counts.map((count, version) => [
                  <td class="number">{whole(count)}</td>,
                  <td class="number muted">{percent(share(bar, version, totals))}</td>,
                ])}
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </figure>
  );
}
