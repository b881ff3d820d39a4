/** Tables whose rows can be sorted by a click on the head of a column. */

import { useState } from "preact/hooks";
import { word } from "./model";

/** The column by which rows are sorted, and whether from the largest down; null as in the data. */
export type Sorting = { by: number; down: boolean } | null;

/** At first from the smallest up, then from the largest down, then as in the data again. */
export function useSorting(): [Sorting, (column: number) => void] {
  const [sorting, set] = useState<Sorting>(null);
  const next = (column: number) => set(sorting?.by !== column ? { by: column, down: false } : sorting.down ? null : { by: column, down: true });
  return [sorting, next];
}

/** Places of cells in order; numbers by size, texts by letters, missing ones last in either direction. */
export function sorted(cells: (string | number | null)[], down: boolean): number[] {
  const numbers = cells.map((cell) => (cell === null || cell === "" ? NaN : Number(cell)));
  const numeric = cells.every((cell, i) => cell === null || !Number.isNaN(numbers[i]));
  const compare = (a: number, b: number) => {
    if (cells[a] === null || cells[b] === null) return Number(cells[a] === null) - Number(cells[b] === null);
    const up = numeric ? numbers[a]! - numbers[b]! : String(cells[a]).localeCompare(String(cells[b]));
    return down ? -up : up;
  };
  return cells.map((_, i) => i).sort((a, b) => compare(a, b) || a - b);
}

/** The head of a column that sorts the rows by it. */
export function SortHead({ name, at, number, sorting, sort }: { name: string; at: number; number: boolean; sorting: Sorting; sort: (column: number) => void }) {
  const own = sorting?.by === at ? sorting : null;
  return (
    <th scope="col" class={number ? "number" : undefined} aria-sort={own ? (own.down ? "descending" : "ascending") : undefined}>
      <button type="button" class="sort" onClick={() => sort(at)} title={word("page.sort_by", { column: name })}>
        {name}
        {own && <span aria-hidden="true">{own.down ? " ↓" : " ↑"}</span>}
      </button>
    </th>
  );
}
