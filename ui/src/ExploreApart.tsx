/** What sets the chosen rows apart from the others, held against chance. */

import { useEffect, useMemo, useState } from "preact/hooks";
import { columnAddress, follow } from "./address";
import { type Apart, apartOf, type Asked, chanceOf, CHOSEN, countsOf, type Groups, medianOf, OTHERS, sharesOf, SHUFFLES, shuffledDistances, sizeOf } from "./exploreModel";
import { textOf, wordsOf } from "./exploreText";
import { hundredths, percent, whole } from "./format";
import { page, word } from "./model";
import { Term } from "./parts";
import type { Field, Table } from "./sampledRows";

/** Columns that are listed. */
const LISTED = 8;
/** Width of a difference of 1. */
const BAR = 64;
/** A choice rests so long, in milliseconds, before chance is asked. */
const RESTING = 200;
/** So long, in milliseconds, chance may hold up everything else. */
const SLICE = 8;

/** How the two groups of rows are called. */
function namesOf(asked: Asked): [string, string] {
  if (asked.among !== "against") return [word("page.explore_chosen"), word("page.explore_others")];
  const labels = page.versions.map((version) => version.label);
  return [labels[labels.length - 1]!, labels[labels.length - 2]!];
}

/** The columns in which the chosen rows differ most from the others, held against chance. */
export function ApartFrom({ table, groups, asked }: { table: Table; groups: Groups; asked: Asked }) {
  const [chance, setChance] = useState<number | null>(null);
  const [n, m] = [sizeOf(groups, CHOSEN), sizeOf(groups, OTHERS)];
  const apart = useMemo(() => (n && m ? apartOf(table, groups, asked) : []), [groups]);
  useEffect(() => {
    setChance(null);
    if (!apart.length) return;
    const divisions = shuffledDistances(table, groups, asked);
    const distances: number[] = [];
    // A few at a time, so that a brush in between is answered at once.
    const some = () => {
      const until = performance.now() + SLICE;
      while (distances.length < SHUFFLES && performance.now() < until) distances.push(divisions.next().value as number);
      if (distances.length < SHUFFLES) waiting = setTimeout(some);
      else setChance(chanceOf(distances));
    };
    let waiting = setTimeout(some, RESTING);
    return () => clearTimeout(waiting);
  }, [apart]);
  const [chosen, others] = namesOf(asked);
  const beyond = chance === null ? apart : apart.filter((each) => each.distance > chance);
  const steady = chance === null ? 0 : apart.length - beyond.length;
  return (
    <div class="apart">
      <h3>{asked.among === "against" ? word("page.explore_apart_versions", { old: others, new: chosen }) : word("page.explore_apart")}</h3>
      {!apart.length ? (
        <p class="muted">{word("page.explore_brush_first")}</p>
      ) : (
        <>
          <p class="muted">{word("page.explore_sizes", { n: whole(n), chosen, m: whole(m), others })}</p>
          <table>
            <thead>
              <tr>
                <th scope="col">{word("page.column")}</th>
                <th scope="col" class="number">
                  {others} → {chosen}
                </th>
                <th scope="col">
                  <Term term="explore_distance">{word("page.difference")}</Term>
                </th>
              </tr>
            </thead>
            <tbody>
              {beyond.slice(0, LISTED).map((each) => (
                <ApartLine each={each} groups={groups} key={each.field.name} />
              ))}
            </tbody>
          </table>
          {chance !== null && (
            <p class="muted">
              {beyond.length > LISTED && word("page.explore_further", { n: whole(beyond.length - LISTED) })} {word("page.explore_chance", { n: whole(steady), chance: hundredths(chance) })}
            </p>
          )}
        </>
      )}
    </div>
  );
}

function ApartLine({ each: { field, distance }, groups }: { each: Apart; groups: Groups }) {
  return (
    <tr>
      <th scope="row">
        <a class="name" title={field.name} href={`#${columnAddress(field.name)}`} onClick={follow(columnAddress(field.name))}>
          {field.name}
        </a>
      </th>
      <td class="number">{differenceText(field, groups)}</td>
      <td>
        <svg class="apart-bar" width={BAR} height={8} role="img" aria-label={hundredths(distance)}>
          <title>{hundredths(distance)}</title>
          <rect class="track" width={BAR} height={8} />
          <rect class="moved" width={BAR * distance} height={8} />
        </svg>
      </td>
    </tr>
  );
}

/** The typical value, or the share that differs most, of the others and of the chosen. */
function differenceText(field: Field, groups: Groups): string {
  const [chosen, others] = countsOf(field, groups).map(sharesOf) as [Float64Array, Float64Array];
  const away = [...chosen.keys()].map((bin) => Math.abs(chosen[bin]! - others[bin]!));
  if (!field.levels.length) {
    const medians = [medianOf(field, groups, OTHERS), medianOf(field, groups, CHOSEN)];
    if (medians[0] !== medians[1] && !medians.some(Number.isNaN)) return medians.map((value) => textOf(field, value)).join(" → ");
  }
  const bin = away.indexOf(Math.max(...away));
  return `${wordsOf(field, new Set([bin]))}: ${percent(others[bin]!)} → ${percent(chosen[bin]!)}`.replaceAll(" %", "\u00a0%");
}

