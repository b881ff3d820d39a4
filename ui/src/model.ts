/** The page's data in the language that is shown just now, and its words. */

import type { Difference, Edition, PageData, Words } from "./pageData";

export type * from "./pageData";

const data = JSON.parse(await unpacked(document.getElementById("nachsicht-data")!.textContent!)) as PageData;

/** The text that was compressed into the page. */
async function unpacked(base64: string): Promise<string> {
  const signs = atob(base64);
  const bytes = new Uint8Array(signs.length);
  // Uint8Array.from with a function takes thirty times as long.
  for (let i = 0; i < signs.length; i++) bytes[i] = signs.charCodeAt(i);
  return new Response(new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"))).text();
}

/** Languages that the page can be read in, that of the file first. */
export const languages = [data.language, ...Object.keys(data.others)];
export let language = data.language;
export let page = data.page;
let words = data.words;

/** Show the page in another of its languages. */
export function speak(chosen: string): void {
  const edition = patched({ page: data.page, words: data.words }, data.others[chosen] ?? null) as Edition;
  language = chosen;
  page = edition.page;
  words = edition.words;
  document.documentElement.lang = chosen;
}

/** What a language is called in itself. */
export function languageName(code: string): string {
  const edition = patched({ words: data.words }, wordsOf(data.others[code] ?? null)) as { words: Words };
  return edition.words.language?.name ?? code;
}

function wordsOf(away: Difference): Difference {
  return away && !Array.isArray(away) && away.words ? { words: away.words } : null;
}

/** A tree of plain values with what differs in another. */
export function patched(value: unknown, away: Difference): unknown {
  if (away === null) return value;
  if (Array.isArray(away)) return away[0];
  const copy = (Array.isArray(value) ? [...value] : { ...(value as object) }) as Record<string, unknown>;
  for (const [name, part] of Object.entries(away)) copy[name] = patched(copy[name], part);
  return copy;
}

/** A word of the catalogue, with facts filled in. */
export function word(path: string, facts: Record<string, string | number> = {}): string {
  const [part, key] = path.split(".") as [string, string];
  const text = words[part]?.[key];
  if (text === undefined) console.error(`no word for ${path}`);
  return (text ?? key).replace(/\{(\w+)\}/g, (whole, name: string) => String(facts[name] ?? whole));
}

/** All terms that are defined, by their names, with the definitions. */
export function terms(): [string, string][] {
  const names = { ...words.measures, ...words.statistics, ...words.page, ...words.kinds };
  return Object.entries(words.definitions ?? {}).map(([term, definition]) => [
    typeof names[term] === "string" ? names[term]! : term.replaceAll("_", " "),
    definition,
  ]);
}

/** Whether the catalogue defines a term. */
export function defined(term: string): boolean {
  return words.definitions?.[term] !== undefined;
}
