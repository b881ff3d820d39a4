/** Buttons that keep a figure, or its numbers, as a file. */

import type { RefObject } from "preact";
import type { Numbers } from "./numbers";
import { csvOf, csvText, pngOf, save, svgText } from "./saving";
import { word } from "./model";

interface Kept {
  /** Holds the figure, and the table behind it if there is one. */
  inside: RefObject<HTMLElement | null>;
  name: string;
  /** What it draws, or whether that stands in a table beside it. */
  numbers?: boolean | (() => Numbers);
}

export function Saves({ inside, name, numbers = false }: Kept) {
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
    const table = inside.current?.querySelector("table");
    const given = typeof numbers === "function" ? numbers() : null;
    const text = given ? csvText([given.heads, ...given.rows]) : table ? csvOf(table) : null;
    if (text !== null) save(`${name}.csv`, new Blob([text], { type: "text/csv" }));
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
      {numbers && (
        <button type="button" class="quiet" onClick={asCsv} aria-label={word("page.keep_csv", { name })}>
          CSV
        </button>
      )}
    </span>
  );
}
