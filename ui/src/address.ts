/**
 * Addresses of places on the page: `#columns`, `#column/honey_kg`, `#finding/2`.
 * Inside a notebook's frame the browser refuses to change the address; the page still moves.
 */

import { useEffect, useState } from "preact/hooks";

type Listener = (address: string) => void;

const listeners = new Set<Listener>();
let current = readHash();

function readHash(): string {
  return location.hash.replace(/^#/, "");
}

export function columnAddress(name: string): string {
  return `column/${encodeURIComponent(name)}`;
}

/** The column that an address names, if it names one. */
export function columnIn(address: string): string | null {
  const [place, name] = address.split("/");
  if (place !== "column" || name === undefined) return null;
  try {
    return decodeURIComponent(name);
  } catch {
    return null;
  }
}

export function go(address: string): void {
  current = address;
  try {
    history.pushState(null, "", `#${address}`);
  } catch {
    // A sandboxed frame has no address of its own.
  }
  listeners.forEach((listener) => listener(address));
}

/** Take an address in the place of this one: nothing moves, and the way back skips what was before. */
export function settle(address: string): void {
  current = address;
  try {
    history.replaceState(null, "", `#${address}`);
  } catch {
    // A sandboxed frame has no address of its own.
  }
  listeners.forEach((listener) => listener(address));
}

window.addEventListener("hashchange", () => {
  current = readHash();
  listeners.forEach((listener) => listener(current));
});

export function useAddress(): string {
  const [address, setAddress] = useState(current);
  useEffect(() => {
    listeners.add(setAddress);
    return () => void listeners.delete(setAddress);
  }, []);
  return address;
}

/** Click handler of a link whose href is an address of this page. */
export function follow(address: string): (event: MouseEvent) => void {
  return (event) => {
    if (event.ctrlKey || event.metaKey || event.shiftKey) return;
    event.preventDefault();
    go(address);
  };
}
