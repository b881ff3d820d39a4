/** A pair of columns, drawn as suits their kinds, in every version; and the components. */

import { hundredths } from "./format";
import type { ComponentChildren } from "preact";
import { useEffect, useLayoutEffect, useRef, useState } from "preact/hooks";
import { columnAddress, follow } from "./address";
import { type BoxesView, type GridView, type Pair, page, type TimeView, type View, word } from "./model";
import {
  BOX_STYLES,
  type BoxStyle,
  boxesFigure,
  ends,
  type Frame,
  gridFigure,
  sharesFigure,
  timeFigure,
} from "./pairFigure";
import { quiet } from "./axes";
import { type Numbers, numbersOf } from "./numbers";
import { Recipe } from "./Recipe";
import { Saves } from "./Saves";
import { Behind, Choice, Heads, Listed, Term, useInSight, VersionMark } from "./parts";

const WIDTH = 430;
/** Rows of a figure's numbers that the page lists; all are in the CSV. */
const MOST_SHOWN = 200;

export function pairAddress(pair: Pair): string {
  return `pair/${encodeURIComponent(pair.x)}/${encodeURIComponent(pair.y)}`;
}

/** The drawn pair of two columns, whichever comes first. */
export function pairOf(one: string, other: string): Pair | null {
  const fits = (pair: Pair) => (pair.x === one && pair.y === other) || (pair.x === other && pair.y === one);
  return page.pairs.find(fits) ?? null;
}

export function pairIn(address: string): Pair | null {
  const [place, one, other] = address.split("/");
  if (place !== "pair" || one === undefined || other === undefined) return null;
  try {
    return pairOf(decodeURIComponent(one), decodeURIComponent(other));
  } catch {
    return null;
  }
}

export function PairPage({ pair }: { pair: Pair }) {
  const [part, setPart] = useState<number>(-1);
  const [style, setStyle] = useState<BoxStyle>("boxes");
  useEffect(() => setPart(-1), [pair]);
  const chosen = part >= 0 ? pair.facets[part] : undefined;
  const views = chosen ? [...pair.views.slice(0, -1).map(() => null), chosen[2]] : pair.views;
  const newest = views[views.length - 1] ?? views.find((view) => view !== null);
  if (!newest) return null;
  return (
    <div class="pair" id={pairAddress(pair)}>
      <h3>
        <ColumnName name={pair.x} /> × <ColumnName name={pair.y} />
      </h3>
      {(pair.facets.length > 0 || newest.type === "boxes") && (
        <div class="controls">
          {newest.type === "boxes" && (
            <Choice
              label={word("page.distribution")}
              choices={BOX_STYLES.map((name) => [name, word(`page.${name}`)])}
              chosen={style}
              choose={(name) => setStyle(name as BoxStyle)}
            />
          )}
          {pair.facets.length > 0 && (
            <>
              <span class="muted">{word("page.split_by", { column: pair.split_by! })}</span>
              <Choice
                label={word("page.split_by", { column: pair.split_by! })}
                choices={[["-1", word("page.all_rows")], ...pair.facets.map(([level], i): [string, string] => [String(i), level])]}
                chosen={String(part)}
                choose={(place) => setPart(Number(place))}
              />
            </>
          )}
        </div>
      )}
      <div class="pair-figures">
        <Figures pair={pair} views={views} style={style} />
        <Facts pair={pair} />
      </div>
      <Recipe of="pair" facts={{ x: pair.x, y: pair.y }} />
    </div>
  );
}

function ColumnName({ name }: { name: string }) {
  return (
    <a class="name" href={`#${columnAddress(name)}`} onClick={follow(columnAddress(name))}>
      {name}
    </a>
  );
}

/** Boxes and lines show all versions at once; grids and shares one beside the other. */
function Figures({ pair, views, style }: { pair: Pair; views: (View | null)[]; style: BoxStyle }) {
  const kinds = new Set(views.flatMap((view) => (view ? [view.type] : [])));
  const frame = (older: boolean): Frame => ({ width: WIDTH, height: 300, x: pair.x, y: pair.y, older });
  if (kinds.size === 1 && kinds.has("boxes")) {
    const boxes = views as (BoxesView | null)[];
    const domain = covering(boxes.flatMap((view) => (view ? [ends(view.axis)] : [])));
    return (
      <Drawn
        draw={() => boxesFigure(boxes, style, { ...frame(false), width: 640, domains: { x: domain, y: domain } })}
        on={[boxes, style]}
        text={word("page.pair_of", { one: pair.x, other: pair.y })}
        sentences={[]}
        numbers={() => numbersOf(views, pair.x, pair.y)}
      />
    );
  }
  if (kinds.size === 1 && kinds.has("time")) {
    const times = views as (TimeView | null)[];
    return (
      <Drawn
        draw={() => timeFigure(times, { ...frame(false), width: 640, height: 260 })}
        on={[times]}
        text={word("page.pair_of", { one: pair.x, other: pair.y })}
        sentences={[]}
        numbers={() => numbersOf(views, pair.x, pair.y)}
      />
    );
  }
  const grids = views.filter((view): view is GridView => view?.type === "grid");
  const domains = grids.length
    ? { x: covering(grids.map((view) => ends(view.x))), y: covering(grids.map((view) => ends(view.y))) }
    : undefined;
  return (
    <>
      {views.map(
        (view, version) =>
          view && (
            <Drawn
              key={version}
              version={views.length > 1 ? version : undefined}
              draw={() => one(view, { ...frame(version < views.length - 1), domains }, style)}
              on={[view, style]}
              text={`${word("page.pair_of", { one: pair.x, other: pair.y })}, ${page.versions[version]!.label}`}
              numbers={() => numbersOf(onlyOne(views, version), pair.x, pair.y)}
              sentences={view.type === "grid" && view.outside ? [word("page.beyond_grid", { n: view.outside })] : []}
            />
          ),
      )}
    </>
  );
}

function one(view: View, frame: Frame, style: BoxStyle): Element {
  if (view.type === "grid") return gridFigure(view, frame);
  if (view.type === "shares") return sharesFigure(view, frame);
  if (view.type === "time") return timeFigure([view], frame);
  const domain = ends(view.axis);
  return boxesFigure([view], style, { ...frame, domains: { x: domain, y: domain } });
}

/** One version's view alone, in its place. */
function onlyOne<T>(views: (T | null)[], version: number): (T | null)[] {
  return views.map((view, i) => (i === version ? view : null));
}

/** Planes come without the name of their type. */
function asGrid(plane: GridView | null): GridView | null {
  return plane && { ...plane, type: "grid" };
}

function covering(ranges: [number, number][]): [number, number] {
  return [Math.min(...ranges.map(([low]) => low)), Math.max(...ranges.map(([, high]) => high))];
}

interface DrawnAs {
  /** Given how wide it may be, in pixels. */
  draw: (room: number) => Element;
  on: unknown[];
  text: string;
  sentences: string[];
  numbers: () => Numbers;
  recipe?: ComponentChildren;
  version?: number | undefined;
}

export function Drawn({ draw, on, text, sentences, numbers, recipe, version }: DrawnAs) {
  const [near, seen] = useInSight<HTMLElement>();
  const ref = useRef<HTMLDivElement>(null);
  // Before it is painted: printing does not wait for what comes later.
  useLayoutEffect(() => {
    if (seen) ref.current!.replaceChildren(quiet(draw(ref.current!.clientWidth)));
  }, [seen, ...on]);
  return (
    <figure ref={near}>
      {version !== undefined && (
        <p class="figure-version">
          <VersionMark version={version} /> {page.versions[version]!.label}
        </p>
      )}
      <div ref={ref} role="img" aria-label={text} />
      <figcaption>
        {sentences.join(" ")} <Saves inside={ref} name={text} numbers={numbers} />
      </figcaption>
      {recipe}
      <NumbersBehind numbers={numbers} />
    </figure>
  );
}

/** The numbers of a figure. */
function NumbersBehind({ numbers }: { numbers: () => Numbers }) {
  return <Behind summary={word("page.table_behind")}>{() => <NumbersTable {...numbers()} />}</Behind>;
}

function NumbersTable({ heads, rows }: Numbers) {
  return (
    <>
      <table>
        <thead>
          <tr>
            {heads.map((head, i) => (
              <th scope="col" key={i}>
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, MOST_SHOWN).map((row, i) => (
            <tr key={i}>
              {row.map((cell, j) => (
                <td class={typeof cell === "number" ? "number" : "value"} key={j}>
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length > MOST_SHOWN && <p class="muted">{word("page.further_in_csv", { n: rows.length - MOST_SHOWN })}</p>}
    </>
  );
}

const TERMS: Record<string, string> = { explains_forth: "explains", explains_back: "explains" };

function Facts({ pair }: { pair: Pair }) {
  const codes = [...new Set(pair.facts.flatMap((facts) => facts.map(([code]) => code)))];
  if (!codes.length) return null;
  const names = { one: pair.x, other: pair.y };
  return (
    <div class="wide">
      <table>
        <Heads />
        <tbody>
          {codes.map((code) => (
            <tr key={code}>
              <th scope="row">
                <Term term={TERMS[code] ?? code}>{word(`measures.${code}`, names)}</Term>
              </th>
              {pair.facts.map((facts, i) => {
                const found = facts.find(([other]) => other === code);
                return (
                  <td class="number" key={i}>
                    {found ? found[1] : "–"} {found?.[2] && <span class="muted">{found[2]}</span>}
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

/** Principal components: shares, loadings, and the rows of every version in one plane. */
export function Components() {
  const components = page.components;
  if (components === null) return null;
  const planes = components.scores;
  const newest = planes[planes.length - 1]!;
  const domains = { x: ends(newest.x), y: ends(newest.y) };
  const shown = components.loadings[0]?.[1].length ?? 0;
  const name = (k: number) => word("page.component", { n: k + 1 });
  return (
    <div class="components" id="components">
      <h3>
        <Term term="component">{word("page.components")}</Term>
      </h3>
      <p>{components.sentence}</p>
      <Recipe of="components" />
      <Listed sentence="page.components_left_out" names={components.excluded} />
      <div class="pair-figures">
        {planes.map(
          (plane, version) =>
            plane && (
              <Drawn
                key={version}
                version={planes.length > 1 ? version : undefined}
                draw={() =>
                  gridFigure(plane, {
                    width: 330,
                    height: 300,
                    x: name(0),
                    y: name(1),
                    older: version < planes.length - 1,
                    domains,
                  })
                }
                on={[plane]}
                numbers={() => numbersOf(onlyOne(planes, version).map(asGrid), name(0), name(1))}
                text={word("page.plane_of", { label: page.versions[version]!.label })}
                sentences={plane.outside ? [word("page.beyond_grid", { n: plane.outside })] : []}
              />
            ),
        )}
        <table>
          <thead>
            <tr>
              <th scope="col">
                <Term term="loading">{word("page.loading")}</Term>
              </th>
              {Array.from({ length: shown }, (_, k) => (
                <th scope="col" class="number" key={k}>
                  {name(k)} <span class="muted">{components.explained[k]}</span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {components.loadings.slice(0, 14).map(([column, loadings]) => (
              <tr key={column}>
                <th scope="row">
                  <ColumnName name={column} />
                </th>
                {loadings.map((loading, k) => (
                  <td class="number" key={k}>
                    <span class={Math.abs(loading) < 0.3 ? "muted" : undefined}>{hundredths(loading)}</span>
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}
