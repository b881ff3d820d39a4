/** Cells of a line, one for each version: one path for each shade, however many versions there are. */

import type { Marks } from "./historyData";

/** Cells that stand closer leave no gap between them. */
const WITH_GAPS = 120;

/** The shapes of a line of cells in a box of the width `unusual.length` and the height 1, by their class. */
export function cellPaths(unusual: string, marks: Marks): [string, string][] {
  const gap = unusual.length > WITH_GAPS ? 0 : 0.14;
  const paths = new Map<string, string>();
  [...unusual].forEach((sign, place) => {
    const look = marks[place] ?? (sign === " " ? null : `unusual-${sign}`);
    if (look === null) return;
    paths.set(look, `${paths.get(look) ?? ""}M${place} 0h${1 - gap}v1h${gap - 1}z`);
  });
  return [...paths];
}

/** The place that is nearest to where a pointer is over an element. */
export function placeAt(element: Element, clientX: number, n: number): number {
  const { left, width } = element.getBoundingClientRect();
  return Math.min(Math.max(Math.floor(((clientX - left) / (width || 1)) * n), 0), n - 1);
}
