/** Finds columns, findings, pairs and words: the key / opens it, or its button. */

import type { TargetedKeyboardEvent } from "preact";
import { useLayoutEffect, useRef, useState } from "preact/hooks";
import { columnAddress, go } from "./address";
import { page, terms, word } from "./model";
import { pairAddress } from "./Pairs";

interface Found {
  what: string;
  name: string;
  /** Said below the name. */
  hint: string;
  address: string | null;
}

const MOST = 12;

function everything(): Found[] {
  return [
    ...page.columns.map((column) => ({
      what: word("page.column"),
      name: column.name,
      hint: word(`kinds.${column.kind}`),
      address: columnAddress(column.name),
    })),
    ...page.findings.map((finding, i) => ({
      what: word("page.finding"),
      name: finding.title,
      hint: finding.columns.join(", "),
      address: `finding/${i}`,
    })),
    ...page.pairs.map((pair) => ({
      what: word("page.choose_pair"),
      name: `${pair.x} × ${pair.y}`,
      hint: "",
      address: pairAddress(pair),
    })),
    ...terms().map(([name, hint]) => ({ what: word("page.a_word"), name, hint, address: null })),
  ];
}

/** What fits a text, names that begin with it first. */
function fitting(text: string): Found[] {
  const wanted = text.trim().toLocaleLowerCase();
  if (!wanted) return [];
  const fits = (found: Found) => `${found.name} ${found.hint}`.toLocaleLowerCase().includes(wanted);
  const begins = (found: Found) => Number(!found.name.toLocaleLowerCase().startsWith(wanted));
  return everything()
    .filter(fits)
    .sort((a, b) => begins(a) - begins(b))
    .slice(0, MOST);
}

export function Finder() {
  const dialog = useRef<HTMLDialogElement>(null);
  const [sought, seek] = useState("");
  const [place, move] = useState(0);
  const open = () => {
    seek("");
    move(0);
    dialog.current?.showModal();
  };
  useLayoutEffect(() => {
    const key = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLElement && event.target.closest("input, select, textarea");
      if (event.key !== "/" || typing || event.ctrlKey || event.metaKey) return;
      event.preventDefault();
      open();
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, []);
  const found = fitting(sought);
  const choose = (chosen: Found | undefined) => {
    if (!chosen || chosen.address === null) return;
    dialog.current?.close();
    go(chosen.address);
  };
  const keys = (event: TargetedKeyboardEvent<HTMLInputElement>) => {
    // Quick typing may be ahead of what is drawn.
    const found = fitting(event.currentTarget.value);
    if (event.key === "ArrowDown") move(Math.min(place + 1, found.length - 1));
    else if (event.key === "ArrowUp") move(Math.max(place - 1, 0));
    else if (event.key === "Enter") choose(found[place]);
    else if (event.key === "Escape") dialog.current?.close();
    else return;
    event.preventDefault();
  };
  return (
    <>
      <button type="button" class="quiet finder-open" onClick={open}>
        {word("page.find")} <kbd>/</kbd>
      </button>
      <dialog ref={dialog} class="finder" aria-label={word("page.find_anything")}>
        <input
          type="search"
          value={sought}
          aria-label={word("page.find_anything")}
          placeholder={word("page.find_anything")}
          onInput={(event) => {
            seek(event.currentTarget.value);
            move(0);
          }}
          onKeyDown={keys}
        />
        <ul aria-live="polite">
          {found.map((entry, i) => (
            <li key={`${entry.what} ${entry.name} ${i}`} class={i === place ? "chosen" : undefined}>
              {entry.address === null ? (
                <p>
                  <span class="what">{entry.what}</span> <strong>{entry.name}</strong>
                  <small>{entry.hint}</small>
                </p>
              ) : (
                <button type="button" onClick={() => choose(entry)}>
                  <span class="what">{entry.what}</span> <strong>{entry.name}</strong>
                  <small>{entry.hint}</small>
                </button>
              )}
            </li>
          ))}
        </ul>
        {sought.trim() && !found.length && <p class="muted">{word("page.nothing_found")}</p>}
      </dialog>
    </>
  );
}
