/** Numbers as a reader can use them; the counterpart of `nachsicht.i18n` for what is drawn. */

const grouped = new Intl.NumberFormat("en-US");

export function whole(n: number): string {
  return grouped.format(n);
}

export function percent(share: number): string {
  const value = 100 * share;
  if (value === 0) return "0 %";
  if (Math.abs(value) < 0.1) return "under 0.1 %";
  if (value >= 99.5 && value < 100) return `${Math.min(value, 99.9).toFixed(1)} %`; // all but some are not all
  return `${value.toFixed(Math.abs(value) < 9.95 ? 1 : 0)} %`;
}

/** A share on an axis, whose steps are round. */
export function percentTick(share: number): string {
  return `${new Intl.NumberFormat("en-US", { maximumSignificantDigits: 3 }).format(100 * share)} %`;
}

export function number(value: number): string {
  return new Intl.NumberFormat("en-US", { maximumSignificantDigits: 6 }).format(value);
}
