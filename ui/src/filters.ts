/** Which columns the ledger shows, and in which order. */

import type { Column } from "./pageData";

export type Order = "position" | "change" | "name" | "missing";

export const orders: Record<Order, (a: Column, b: Column) => number> = {
  position: () => 0,
  change: (a, b) => (b.change ?? -1) - (a.change ?? -1),
  name: (a, b) => a.name.localeCompare(b.name),
  missing: (a, b) => lastMissing(b) - lastMissing(a),
};

function lastMissing(column: Column): number {
  return column.versions[column.versions.length - 1]?.missing_share ?? 0;
}

export interface Filter {
  /** Part of the name, in letters of any case. */
  search: string;
  /** Empty for all. */
  kind: string;
  /** Whether only columns with findings are wanted. */
  notable: boolean;
}

/** Whether a column is wanted. */
export function fits(column: Column, { search, kind, notable }: Filter): boolean {
  return (
    column.name.toLowerCase().includes(search.trim().toLowerCase()) &&
    (!kind || column.kind === kind) &&
    (!notable || column.severity !== null)
  );
}
