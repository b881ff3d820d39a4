/** Strengths of all pairs as a matrix, its columns in the order of their groups. */

import { hundredths } from "./format";
import { useRef, useState } from "preact/hooks";
import { columnAddress, follow } from "./address";
import { page, word } from "./model";
import { Behind } from "./parts";
import { Recipe } from "./Recipe";
import { Saves } from "./Saves";

type View = "new" | "old" | "difference";
const CELL = 18;

const cell = (strength: number | null | undefined) => (strength == null ? "–" : hundredths(strength));

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
  const left = 130;
  const [width, height] = [left + names.length * CELL, names.length * CELL + 4];
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
      {relations.old && (
        <div class="controls" role="group" aria-label={word("page.version")}>
          {(["old", "new", "difference"] as const).map((name) => (
            <button type="button" key={name} aria-pressed={view === name} onClick={() => setView(name)}>
              {labels[name]}
            </button>
          ))}
        </div>
      )}
      <div class="wide">
        <svg
          viewBox={`0 0 ${width} ${height}`}
          width={width}
          height={height}
          role="img"
          aria-label={word("page.matrix_of", { n: names.length })}
        >
          {names.map((name, i) => (
            <text key={name} class="matrix-name" x={left - 6} y={i * CELL + 13} text-anchor="end">
              {name.length > 18 ? `${name.slice(0, 17)}…` : name}
            </text>
          ))}
          {names.map((one, i) =>
            names.map((other, j) => {
              const strength = i === j ? null : value(i, j);
              return (
                <rect
                  key={`${i} ${j}`}
                  class={strength === null ? "none" : strength < 0 ? "negative" : "positive"}
                  x={left + j * CELL}
                  y={i * CELL}
                  width={CELL - 1}
                  height={CELL - 1}
                  fill-opacity={strength === null ? 1 : Math.min(1, Math.abs(strength))}
                  onClick={() => {
                    if (i === j) return;
                    setChosen([i, j]);
                    choose(one, other);
                  }}
                >
                  <title>{`${one} × ${other}: ${cell(strength)}`}</title>
                </rect>
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
            <span class="muted">({labels[view]})</span>
          </>
        ) : (
          <span class="muted">{word("page.pick_cell")}</span>
        )}
      </figcaption>
    </figure>
  );
}
