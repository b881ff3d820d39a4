/** The numbers that a figure draws, as rows of a table. */

import { unitStart } from "./bars";
import { type Axis, page, type TimeView, type View, word } from "./model";

export interface Numbers {
  heads: string[];
  rows: (string | number)[][];
}

const edge = (axis: Axis, i: number): string | number => {
  const value = axis.start + i * axis.width;
  return axis.is_time ? new Date(value).toISOString() : Number(value.toPrecision(12));
};

/** Of views of one pair or column: one list of rows for each version that has a view. */
export function numbersOf(views: (View | TimeView | null)[], one: string, other: string): Numbers {
  const parts = views.flatMap((view, version) => (view ? [{ label: page.versions[version]!.label, ...ofView(view, one, other) }] : []));
  return {
    heads: [word("page.version"), ...(parts[0]?.heads ?? [])],
    rows: parts.flatMap(({ label, rows }) => rows.map((row) => [label, ...row])),
  };
}

function ofView(view: View | TimeView, one: string, other: string): Numbers {
  const from = word("page.from");
  const to = word("page.to");
  const rows = word("page.rows");
  if (view.type === "grid") {
    const across = view.y.bins;
    const cells = view.counts.flatMap((n, i) => {
      const [x, y] = [Math.floor(i / across), i % across];
      return n ? [[edge(view.x, x), edge(view.x, x + 1), edge(view.y, y), edge(view.y, y + 1), n]] : [];
    });
    return { heads: [`${one} ${from}`, `${one} ${to}`, `${other} ${from}`, `${other} ${to}`, rows], rows: cells };
  }
  if (view.type === "boxes") {
    const shares = view.boxes[0]?.quantiles.map((_, i, all) => `${Math.round((100 * (i + 1)) / (all.length + 1))} %`) ?? [];
    return {
      heads: [one, rows, word("page.low_whisker"), word("page.high_whisker"), ...shares],
      rows: view.boxes.map((box) => [box.level, box.rows, box.low_whisker, box.high_whisker, ...box.quantiles]),
    };
  }
  if (view.type === "shares") {
    const many = view.y_levels.length;
    return {
      heads: [one, other, rows],
      rows: view.counts.map((n, i) => [view.x_levels[Math.floor(i / many)]!, view.y_levels[i % many]!, n]),
    };
  }
  const quantity = view.quartiles.some(Boolean);
  return {
    heads: [
      from,
      rows,
      word("page.missing"),
      ...(quantity ? [word("page.lower_quartile"), word("page.median"), word("page.upper_quartile")] : view.levels),
    ],
    rows: view.rows.map((n, i) => [
      new Date(unitStart(view.unit, view.first + i)).toISOString().slice(0, 16),
      n,
      view.missing[i]!,
      ...(quantity ? (view.quartiles[i] ?? ["", "", ""]) : view.levels.map((_, level) => view.counts[level]![i]!)),
    ]),
  };
}
