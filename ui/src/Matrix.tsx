/** Strengths of all pairs as a matrix, its columns in the order of their groups. */

import { Fragment } from "preact";
import { cut, hundredths } from "./format";
import { useRef, useState } from "preact/hooks";
import { columnAddress, follow, go } from "./address";
import { page, word } from "./model";
import { Behind, Choice, Search } from "./parts";
import { Recipe } from "./Recipe";
import { Saves } from "./Saves";

type View = "new" | "old" | "difference";
/** The fewer columns, the larger the cells; the largest show their figures. */
const CELLS: [number, number][] = [
  [18, 30],
  [26, 24],
  [Infinity, 18],
];
const FIGURES = 30;
/** From which strength on a cell is dark, and below which its figure says little. */
const [DARK, FAINT] = [0.5, 0.1];
/** From so many columns on they can be searched. */
const MANY = 12;

const cell = (strength: number | null | undefined) => (strength == null ? "–" : hundredths(strength));

/** Leads to two columns among the rows that can be explored, where these hold them. */
export function ExplorePair({ x, y }: { x: string; y: string }) {
  const columns = page.explore?.versions.at(-1)!.columns.map((column) => column.name) ?? [];
  if (!columns.includes(x) || !columns.includes(y)) return null;
  return (
    <button type="button" class="quiet" onClick={() => go(`explore/${new URLSearchParams({ across: x, up: y })}`)}>
      {word("page.explore_section")}
    </button>
  );
}

export function Matrix({ choose }: { choose: (one: string, other: string) => void }) {
  const relations = page.matrix!;
  const [view, setView] = useState<View>("new");
  const [chosen, setChosen] = useState<[number, number] | null>(null);
  const figure = useRef<HTMLElement>(null);
  const names = relations.names;
  const labels: Record<View, string> = {
    new: page.versions[page.versions.length - 1]!.label,
    old: page.versions[page.versions.length - 2]?.label ?? "",
    difference: word("page.difference"),
  };
  const value = (i: number, j: number): number | null => {
    const now = relations.new[i]![j]!;
    const before = relations.old?.[i]![j] ?? null;
    if (view === "new") return now;
    if (view === "old") return before;
    return now === null || before === null ? null : now - before;
  };
  const chosenCell = chosen && value(...chosen);
  const [sought, seek] = useState("");
  const wanted = sought.toLocaleLowerCase().split(/[\s,]+/).filter(Boolean);
  const all = names.map((_, i) => i);
  const found = all.filter((i) => wanted.some((part) => names[i]!.toLocaleLowerCase().includes(part)));
  const shown = found.length > 1 ? found : all;
  const side = CELLS.find(([most]) => shown.length <= most)![1];
  const left = 130;
  const [width, height] = [left + shown.length * side, shown.length * side + 4];
  const table = () => (
    <table>
      <thead>
        <tr>
          <th scope="col">{labels[view]}</th>
          {names.map((name) => (
            <th scope="col" class="number" key={name}>
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {names.map((one, i) => (
          <tr key={one}>
            <th scope="row">{one}</th>
            {names.map((other, j) => (
              <td class="number" key={other}>
                {i === j ? "" : cell(value(i, j))}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
  return (
    <figure class="matrix" ref={figure}>
      <div class="controls">
        {relations.old && (
          <Choice
            label={word("page.version")}
            choices={(["old", "new", "difference"] as const).map((name) => [name, labels[name]])}
            chosen={view}
            choose={(name) => setView(name as View)}
          />
        )}
        {names.length >= MANY && (
          <Search hint={word("page.matrix_search")} sought={sought} seek={seek} />
        )}
      </div>
      <div class="wide">
        <svg
          viewBox={`0 0 ${width} ${height}`}
          width={width}
          height={height}
          role="img"
          aria-label={word("page.matrix_of", { n: names.length })}
        >
          {shown.map((place, i) => (
            <text key={place} class="matrix-name" x={left - 6} y={(i + 0.5) * side + 4} text-anchor="end">
              {cut(names[place]!, 18)}
            </text>
          ))}
          {shown.map((one, i) =>
            shown.map((other, j) => {
              const strength = one === other ? null : value(one, other);
              const away = Math.min(1, Math.abs(strength ?? 0));
              return (
                <Fragment key={`${one} ${other}`}>
                  <rect
                    class={strength === null ? "none" : strength < 0 ? "negative" : "positive"}
                    x={left + j * side}
                    y={i * side}
                    width={side - 1}
                    height={side - 1}
                    fill-opacity={strength === null ? 1 : away}
                    onClick={() => {
                      if (one === other) return;
                      setChosen([one, other]);
                      choose(names[one]!, names[other]!);
                    }}
                  >
                    <title>{`${names[one]} × ${names[other]}: ${cell(strength)}`}</title>
                  </rect>
                  {side >= FIGURES && strength !== null && (
                    <text class={`matrix-figure ${away > DARK ? "on-dark" : away < FAINT ? "faint" : ""}`} x={left + (j + 0.5) * side} y={(i + 0.5) * side + 3.5} text-anchor="middle">
                      {hundredths(strength)}
                    </text>
                  )}
                </Fragment>
              );
            }),
          )}
        </svg>
      </div>
      <Behind summary={word("page.table_behind")}>{table}</Behind>
      <Saves inside={figure} name={word("page.relations_section")} table={table} />
      <Recipe of="matrix" />
      <figcaption aria-live="polite">
        {chosen ? (
          <>
            {[names[chosen[0]]!, names[chosen[1]]!].map((name, i) => (
              <>
                {i > 0 && " × "}
                <a class="name" href={`#${columnAddress(name)}`} onClick={follow(columnAddress(name))}>
                  {name}
                </a>
              </>
            ))}
            : <strong>{cell(chosenCell)}</strong>{" "}
            <span class="muted">({labels[view]})</span> <ExplorePair x={names[chosen[0]]!} y={names[chosen[1]]!} />
          </>
        ) : (
          <span class="muted">{word("page.pick_cell")}</span>
        )}
      </figcaption>
    </figure>
  );
}
