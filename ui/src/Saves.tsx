/** Buttons that keep a figure, or its numbers, as a file. */

import { type ComponentChildren, type RefObject, render } from "preact";
import type { Numbers } from "./numbers";
import { csvOf, csvText, pngOf, save, svgText } from "./saving";
import { word } from "./model";

interface Kept {
  /** Holds the figure. */
  inside: RefObject<HTMLElement | null>;
  name: string;
  /** What it draws, as numbers or as the table that shows them. */
  numbers?: () => Numbers;
  table?: () => ComponentChildren;
}

/** A table as CSV, wherever it is shown, if at all. */
function csvOfTable(table: ComponentChildren): string {
  const aside = document.createElement("div");
  render(table, aside);
  return csvOf(aside.querySelector("table")!);
}

export function Saves({ inside, name, numbers, table }: Kept) {
  const figure = () => inside.current?.querySelector<SVGSVGElement>("svg");
  const asSvg = () => {
    const svg = figure();
    if (svg) save(`${name}.svg`, new Blob([svgText(svg)], { type: "image/svg+xml" }));
  };
  const asPng = async () => {
    const svg = figure();
    const picture = svg && (await pngOf(svg));
    if (picture) save(`${name}.png`, picture);
  };
  const asCsv = () => {
    const given = numbers?.();
    const text = given ? csvText([given.heads, ...given.rows]) : csvOfTable(table!());
    save(`${name}.csv`, new Blob([text], { type: "text/csv" }));
  };
  return (
    <span class="saves">
      <span class="muted">{word("page.keep_as")}</span>
      <button type="button" class="quiet" onClick={asSvg} aria-label={word("page.keep_svg", { name })}>
        SVG
      </button>
      <button type="button" class="quiet" onClick={asPng} aria-label={word("page.keep_png", { name })}>
        PNG
      </button>
      {(numbers || table) && (
        <button type="button" class="quiet" onClick={asCsv} aria-label={word("page.keep_csv", { name })}>
          CSV
        </button>
      )}
    </span>
  );
}
