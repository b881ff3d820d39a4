/** Values of drawn rows as texts. */

import { number } from "./format";
import { language, word } from "./model";
import type { Field } from "./sampledRows";

const DAY = 86_400_000;

/** A value of a column for a reader, or as it stands in a file. */
export function textOf(field: Field, value: number, plain = false): string {
  if (field.levels.length) return field.levels[value]!;
  if (field.isTime) return momentText(value, plain, spanOf(field) < DAY);
  return plain ? String(Number(value.toPrecision(12))) : number(Number(value.toPrecision(4)));
}

const spanOf = ({ edges }: Field) => edges[1]! - edges[0]!;

function momentText(value: number, plain: boolean, withTime: boolean): string {
  const date = new Date(value);
  if (Number.isNaN(date.valueOf())) return String(value);
  if (plain) return date.toISOString().replace("T00:00:00.000Z", "").replace(".000Z", "Z");
  const time = withTime ? ({ hour: "2-digit", minute: "2-digit" } as const) : {};
  return date.toLocaleString(language, { timeZone: "UTC", day: "numeric", month: "short", year: "numeric", ...time });
}

/** The bins that are chosen of a column, in words. */
export function wordsOf(field: Field, bins: Set<number>): string {
  const sorted = [...bins].filter((bin) => bin < field.size).sort((a, b) => a - b);
  const parts: string[] = [];
  if (field.levels.length) parts.push(...sorted.map((bin) => field.levels[bin]!));
  else if (sorted.length) {
    const [first, last] = [sorted[0]!, sorted[sorted.length - 1]!];
    const [low, high] = [textOf(field, field.edges[first]!), textOf(field, field.edges[last + 1]!)];
    if (!first && last === field.size - 1) parts.push(word("page.explore_present"));
    else if (last === field.size - 1) parts.push(word("page.explore_from", { low }));
    else parts.push(first ? word("page.explore_between", { low, high }) : word("page.explore_below", { high }));
  }
  if (bins.has(field.size)) parts.push(word("page.missing"));
  return parts.join(", ");
}
