/** Two columns of the drawn rows against each other: a dot a row, coloured or split by a third. */

import { useLayoutEffect, useMemo, useRef, useState } from "preact/hooks";
import { type Asked, CHOSEN, type Groups, OTHERS } from "./exploreModel";
import { textOf } from "./exploreText";
import { cut } from "./format";
import { page, word } from "./model";
import { Saves } from "./Saves";
import type { Field, Table } from "./sampledRows";

const MARGIN = { left: 64, right: 14, top: 12, bottom: 40 };
/** Levels of the third column that have a colour of their own. */
const COLOURS = 5;
/** So many different numbers are few. */
const FEW_VALUES = 40;
/** Dots of one level lie beside each other over this part of its band. */
const SPREAD = 0.7;

/** What is drawn from where a row is: a line of no length, whose ends are round, or a circle. */
/** Lines without length, whose round ends are dots, and hexagons are drawn many times faster than circles. */
const [DOT, RING] = ["h0", "m-2.1,-1.2l2.1,-1.2 2.1,1.2v2.4l-2.1,1.2 -2.1,-1.2z"];

/** Where the values of a column lie along an axis. */
interface Along {
  at: Float64Array;
  ticks: { at: number; text: string }[];
}

/** From 0 to 1; levels get a band each, in which rows are spread evenly. Missing is NaN. */
function along(field: Field, turn: number): Along {
  if (field.levels.length) {
    const at = Float64Array.from(field.values, (level, row) => (level + 0.5 + SPREAD * (((row + 1) * turn) % 1 - 0.5)) / field.size);
    return { at, ticks: field.levels.map((level, i) => ({ at: (i + 0.5) / field.size, text: level })) };
  }
  const different = [...new Set(field.values.filter((value) => !Number.isNaN(value)))].sort((a, b) => a - b);
  // Few different numbers are spread over what parts them, as the rows of a level are.
  const few = different.length > 1 && different.length <= FEW_VALUES;
  const gap = few ? Math.min(...different.slice(1).map((value, i) => value - different[i]!)) : 0;
  const ends = few ? [different[0]! - gap / 2, different[different.length - 1]! + gap / 2] : [field.edges[0]!, field.edges[field.size]!];
  const [low, high] = ends as [number, number];
  const at = Float64Array.from(field.values, (value, row) => {
    const aside = gap * SPREAD * ((((row + 1) * turn) % 1) - 0.5);
    return Math.max(-0.01, Math.min(1.01, (value + aside - low) / (high - low)));
  });
  const every = Math.max(1, Math.ceil(field.size / 5));
  const ticks = field.edges.filter((edge, i) => i % every === 0 && edge >= low && edge <= high);
  return { at, ticks: ticks.map((edge) => ({ at: (edge - low) / (high - low), text: textOf(field, edge) })) };
}

/** Classes of the third column: levels as they are, numbers in thirds. */
interface Classes {
  names: string[];
  of: Uint8Array;
}

function classesOf(field: Field | undefined, rows: number): Classes {
  if (!field) return { names: [""], of: new Uint8Array(rows) };
  if (field.levels.length) {
    const names = field.levels.slice(0, COLOURS);
    if (field.size > COLOURS) names[COLOURS - 1] = word("page.explore_rest");
    names.push(word("page.missing"));
    const last = names.length - 2;
    return { names, of: Uint8Array.from(field.values, (value) => (Number.isNaN(value) ? last + 1 : Math.min(value, last))) };
  }
  const sorted = field.values.filter((value) => !Number.isNaN(value)).sort();
  const limits = [sorted[Math.floor(sorted.length / 3)]!, sorted[Math.floor((2 * sorted.length) / 3)]!];
  const [low, high] = limits.map((limit) => textOf(field, limit));
  const names = [word("page.explore_below", { high: low! }), word("page.explore_between", { low: low!, high: high! }), word("page.explore_from", { low: high! }), word("page.missing")];
  return { names, of: Uint8Array.from(field.values, (value) => (Number.isNaN(value) ? 3 : value < limits[0]! ? 0 : value < limits[1]! ? 1 : 2)) };
}

interface Shown {
  table: Table;
  groups: Groups;
  asked: Asked;
}

export function Plane({ table, groups, asked }: Shown) {
  const figure = useRef<HTMLElement>(null);
  const [width, setWidth] = useState(560);
  useLayoutEffect(() => {
    const measure = () => setWidth(Math.max(280, figure.current!.clientWidth));
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(figure.current!);
    return () => observer.disconnect();
  }, []);
  const named = (name: string) => table.fields.find((field) => field.name === name);
  const [x, y, by] = [named(asked.across)!, named(asked.up)!, named(asked.by)];
  // Multiples of numbers that are no fractions of each other spread rows evenly.
  const [across, up] = useMemo(() => [along(x, 0.618034), along(y, 0.754878)], [x, y]);
  const classes = useMemo(() => classesOf(by, table.rows), [by]);
  const there = useMemo(() => classes.names.map((_, i) => classes.of.some((each, row) => each === i && groups[row] !== 0)), [classes, groups]);
  const panels = by && asked.split ? classes.names.flatMap((_, i) => (there[i] ? [[i]] : [])) : [classes.names.map((_, i) => i)];
  const columns = panels.length > 1 ? (width > 520 ? Math.min(3, panels.length) : 2) : 1;
  const panel = { width: width / columns, height: Math.round(panels.length > 1 ? Math.min(260, width / columns) : Math.min(460, 0.66 * width)) };
  const lines = Math.ceil(panels.length / columns);
  const frame = { x, y, across, up, groups, classes, ...panel };
  return (
    <figure class="plane" ref={figure}>
      <div role="img" aria-label={word("page.explore_plane", { x: x.name, y: y.name })}>
      <svg width={width} height={panel.height * lines}>
        {panels.map((own, i) => (
          <g key={own.join()} transform={`translate(${(i % columns) * panel.width} ${Math.floor(i / columns) * panel.height})`}>
            <Panel {...frame} own={own} title={panels.length > 1 ? classes.names[own[0]!]! : ""} />
          </g>
        ))}
      </svg>
      </div>
      <figcaption>
        {word("page.explore_caption", captionFacts(asked))}
        {by && (
          <span class="plane-legend">
            {classes.names.map(
              (name, i) =>
                there[i] && (
                  <span key={name}>
                    <svg width={10} height={10} aria-hidden="true">
                      <path class={`dots class-${by ? i : "none"}`} d="M5 5h0" />
                    </svg>{" "}
                    {name}
                  </span>
                ),
            )}
          </span>
        )}{" "}
        <Saves inside={figure} name={`${x.name}_${y.name}`} />
      </figcaption>
    </figure>
  );
}

function captionFacts(asked: Asked): { filled: string; hollow: string } {
  const labels = page.versions.map((version) => version.label);
  if (asked.among === "against") return { filled: labels[labels.length - 1]!, hollow: labels[labels.length - 2]! };
  return { filled: word("page.explore_chosen"), hollow: word("page.explore_others") };
}

interface PanelOf {
  x: Field;
  y: Field;
  across: Along;
  up: Along;
  groups: Groups;
  classes: Classes;
  width: number;
  height: number;
  own: number[];
  title: string;
}

function Panel({ x, y, across, up, groups, classes, width, height, own, title }: PanelOf) {
  const box = { width: width - MARGIN.left - MARGIN.right, height: height - MARGIN.top - MARGIN.bottom };
  const px = (at: number) => MARGIN.left + at * box.width;
  const py = (at: number) => MARGIN.top + (1 - at) * box.height;
  const split = title !== "";
  // Where a row is drawn does not depend on what is chosen.
  const places = useMemo(
    () => Array.from(across.at, (a, row) => (Number.isNaN(a) || Number.isNaN(up.at[row]!) ? "" : `M${px(a).toFixed(1)} ${py(up.at[row]!).toFixed(1)}`)),
    [across, up, width, height],
  );
  const dots = useMemo(() => {
    const hollow: string[] = [];
    const filled = new Map<number, string[]>(own.map((each) => [each, []]));
    groups.forEach((group, row) => {
      const inks = filled.get(classes.of[row]!);
      if (!places[row]) return;
      if (group === OTHERS && inks) hollow.push(places[row]!, RING);
      else if (group === CHOSEN) inks?.push(places[row]!, DOT);
    });
    return { hollow: hollow.join(""), filled: [...filled].map(([each, d]): [number, string] => [each, d.join("")]) };
  }, [places, groups, classes, own.join()]);
  const every = Math.max(1, Math.ceil(across.ticks.length / Math.max(2, box.width / 84)));
  const everyUp = Math.max(1, Math.ceil(up.ticks.length / Math.max(2, box.height / 18)));
  return (
    <>
      {up.ticks.map(({ at, text }, i) =>
        i % everyUp ? null : (
          <g key={i}>
            <line class="plane-grid" x1={MARGIN.left} x2={width - MARGIN.right} y1={py(at)} y2={py(at)} />
            <text x={MARGIN.left - 6} y={py(at) + 4} text-anchor="end">
              {cut(text, 9)}
            </text>
          </g>
        ),
      )}
      {across.ticks.map(({ at, text }, i) =>
        i % every ? null : (
          <text key={i} x={px(at)} y={height - MARGIN.bottom + 15} text-anchor="middle">
            {cut(text, 12)}
          </text>
        ),
      )}
      <text class="plane-name" x={width - MARGIN.right} y={height - 5} text-anchor="end">
        {cut(x.name, Math.floor(box.width / 7))}
      </text>
      <text class="plane-name" x={4} y={9}>
        {cut(split ? title : y.name, Math.floor((box.width + MARGIN.left) / 7))}
      </text>
      <path class="dots-hollow" d={dots.hollow} />
      {dots.filled.map(([each, d]) => (
        <path key={each} class={`dots class-${classes.names.length > 1 ? each : "none"}`} d={d} />
      ))}
    </>
  );
}
