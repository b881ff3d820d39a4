/** A column of the drawn rows as a small figure that is brushed: bars of numbers, rows of levels. */

import { useMemo, useRef, useState } from "preact/hooks";
import { countsOf, type Groups, sharesOf } from "./exploreModel";
import { textOf, wordsOf } from "./exploreText";
import { percent } from "./format";
import { word } from "./model";
import type { Field } from "./sampledRows";

/** Chooses bins of a column; none takes the choice back. */
export type Brush = (field: Field, bins: Set<number> | null) => void;

const [WIDTH, HEIGHT] = [240, 40];
/** Levels that are seen at once; the others are a click away. */
const SEEN_LEVELS = 6;

interface Of {
  field: Field;
  groups: Groups;
  bins: Set<number> | null;
  brush: Brush;
}

/** Of both groups the share in each bin, and the largest of all. */
interface Shares {
  chosen: Float64Array;
  others: Float64Array;
  most: number;
}

/** Drawn anew only where its rows or its choice are others. */
export function Facet(of: Of) {
  return useMemo(() => <Whole {...of} />, [of.groups, of.bins]);
}

function Whole({ field, groups, bins, brush }: Of) {
  const shares = useMemo((): Shares => {
    const [chosen, others] = countsOf(field, groups).map(sharesOf) as [Float64Array, Float64Array];
    return { chosen, others, most: Math.max(...chosen, ...others, 1e-9) };
  }, [groups]);
  return (
    <div class={bins ? "facet brushed" : "facet"} data-facet={field.name}>
      <p class="facet-head">
        <strong title={field.name}>{field.name}</strong>
        {bins && (
          <button type="button" class="quiet" onClick={() => brush(field, null)} aria-label={word("page.explore_undo", { name: field.name })}>
            {wordsOf(field, bins)} ×
          </button>
        )}
      </p>
      {field.levels.length ? (
        <Levels field={field} shares={shares} bins={bins} brush={brush} />
      ) : (
        <>
          <Histogram field={field} shares={shares} bins={bins} brush={brush} />
          <Level bin={field.size} field={field} shares={shares} bins={bins} brush={brush} />
        </>
      )}
    </div>
  );
}

interface Drawn {
  field: Field;
  shares: Shares;
  bins: Set<number> | null;
  brush: Brush;
}

/** A path over bars: closed boxes of the chosen rows, or one outline of the others. */
function barsPath(shares: Float64Array, size: number, most: number): string {
  const step = WIDTH / size;
  let path = "";
  for (let bin = 0; bin < size; bin++) {
    const height = (HEIGHT * shares[bin]!) / most;
    if (height > 0) path += `M${(bin * step + 0.5).toFixed(1)} ${HEIGHT}v${-height.toFixed(1)}h${(step - 1).toFixed(1)}v${height.toFixed(1)}z`;
  }
  return path;
}

function Histogram({ field, shares, bins, brush }: Drawn) {
  const { size, edges } = field;
  const svg = useRef<SVGSVGElement>(null);
  const began = useRef<number | null>(null);
  const there = [...(bins ?? [])].filter((bin) => bin < size).sort((a, b) => a - b);
  const [first, last] = there.length ? [there[0]!, there[there.length - 1]!] : [0, size - 1];
  const binAt = (event: PointerEvent) => {
    const box = svg.current!.getBoundingClientRect();
    return Math.max(0, Math.min(size - 1, Math.floor(((event.clientX - box.left) / box.width) * size)));
  };
  const choose = (one: number, other: number) => {
    const [low, high] = one < other ? [one, other] : [other, one];
    const chosen = new Set(Array.from({ length: high - low + 1 }, (_, i) => low + i));
    brush(field, low === 0 && high === size - 1 ? null : chosen);
  };
  const end = (side: 0 | 1) => (
    <input
      type="range"
      min={0}
      max={size - 1}
      value={side ? last : first}
      aria-label={word(side ? "page.explore_to" : "page.explore_from_end", { name: field.name })}
      aria-valuetext={textOf(field, edges[side ? last + 1 : first]!)}
      onInput={(event) => {
        const bin = Number(event.currentTarget.value);
        if (side) choose(Math.min(first, bin), bin);
        else choose(bin, Math.max(last, bin));
      }}
    />
  );
  return (
    <div class="facet-numbers">
      <svg
        ref={svg}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        aria-hidden="true"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          began.current = binAt(event);
          const alone = bins?.size === 1 && bins.has(began.current);
          if (alone) brush(field, null);
          else choose(began.current, began.current);
        }}
        onPointerMove={(event) => {
          if (began.current === null) return;
          const bin = binAt(event);
          if (bin !== began.current || there.length > 1) choose(began.current, bin);
        }}
        onPointerUp={() => (began.current = null)}
        onPointerCancel={() => (began.current = null)}
      >
        {there.length > 0 && <rect class="brush" x={(first * WIDTH) / size} width={((last - first + 1) * WIDTH) / size} height={HEIGHT} />}
        <path class="facet-chosen" d={barsPath(shares.chosen, size, shares.most)} />
        <path class="facet-others" d={barsPath(shares.others, size, shares.most)} />
      </svg>
      <div class="brush-ends">
        {end(0)}
        {end(1)}
      </div>
      <p class="facet-ends" aria-hidden="true">
        <span>{textOf(field, edges[0]!)}</span>
        <span>{textOf(field, edges[size]!)}</span>
      </p>
    </div>
  );
}

function Levels({ field, shares, bins, brush }: Drawn) {
  const [all, setAll] = useState(false);
  const shown = all || field.size <= SEEN_LEVELS + 1 ? field.size : SEEN_LEVELS;
  return (
    <>
      {Array.from({ length: shown }, (_, bin) => (
        <Level key={bin} bin={bin} field={field} shares={shares} bins={bins} brush={brush} />
      ))}
      {shown < field.size && (
        <button type="button" class="more" onClick={() => setAll(true)}>
          {word("page.history_more", { n: field.size - shown })}
        </button>
      )}
      <Level bin={field.size} field={field} shares={shares} bins={bins} brush={brush} />
    </>
  );
}

/** A level, or what is missing, as a button with its bar; nothing where no row has it. */
function Level({ bin, field, shares, bins, brush }: Drawn & { bin: number }) {
  const [chosen, others] = [shares.chosen[bin]!, shares.others[bin]!];
  const missing = bin === field.size;
  if (missing && !chosen && !others && !bins?.has(bin)) return null;
  const name = missing ? word("page.missing") : field.levels[bin]!;
  const toggle = () => {
    const next = new Set(bins ?? []);
    if (!next.delete(bin)) next.add(bin);
    brush(field, next.size ? next : null);
  };
  const wide = (share: number) => (100 * share) / Math.max(shares.most, field.levels.length ? 0 : 1);
  return (
    <button type="button" class={missing ? "facet-level of-missing" : "facet-level"} aria-pressed={bins?.has(bin) ?? false} onClick={toggle} title={`${name}: ${percent(chosen)}`}>
      <span class="facet-name">{name}</span>
      <svg viewBox="0 0 100 10" preserveAspectRatio="none" aria-hidden="true">
        <rect class="facet-chosen" width={wide(chosen)} height={10} />
        {others > 0 && <rect class="facet-others" width={wide(others)} y={0.5} height={9} />}
      </svg>
    </button>
  );
}
