/** Numbers as a reader can use them; the counterpart of `nachsicht.i18n` for what is drawn. */

import { language, page, word } from "./model";

/** Formats by language and options; making one takes long. */
const formats = new Map<string, Intl.NumberFormat>();

function formatted(value: number, options: Intl.NumberFormatOptions): string {
  const key = JSON.stringify([language, options]);
  const format = formats.get(key) ?? new Intl.NumberFormat(language, options);
  formats.set(key, format);
  return format.format(value);
}

export function whole(n: number): string {
  return formatted(n, {});
}

/** How many rows there are, or that there are fewer than may be told on a page that is shared. */
export function count(rows: number): string {
  return rows > 0 && rows < page.smallest_group ? `< ${whole(page.smallest_group)}` : whole(rows);
}

/** How many rows a bin or a level has: where it is shared, none means fewer than may be told. */
export function drawn(rows: number): string {
  return count(rows || (page.smallest_group ? 1 : 0));
}

export function percent(share: number): string {
  const value = 100 * share;
  if (value === 0) return "0 %";
  if (Math.abs(value) < 0.1) return word("numbers.under").replace("0.1", formatted(0.1, {}));
  const all = value >= 99.5 && value < 100; // all but some are not all
  const digits = all || Math.abs(value) < 9.95 ? 1 : 0;
  return `${formatted(all ? Math.min(value, 99.9) : value, { minimumFractionDigits: digits, maximumFractionDigits: digits })} %`;
}

/** A share on an axis, whose steps are round. */
export function percentTick(share: number): string {
  return `${formatted(100 * share, { maximumSignificantDigits: 3 })} %`;
}

export function number(value: number): string {
  return formatted(value, { maximumSignificantDigits: 6 });
}

/** A number with two decimals, as strengths and distances are shown. */
export function hundredths(value: number): string {
  const text = formatted(value, { minimumFractionDigits: 2, maximumFractionDigits: 2 });
  return /^-0\D?0*$/.test(text) ? text.slice(1) : text;
}

/** A text that ends with an ellipsis where it is too long. */
export function cut(text: string, most: number): string {
  return text.length <= most ? text : `${text.slice(0, most - 1)}…`;
}
