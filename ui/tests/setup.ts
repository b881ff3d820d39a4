/** A page as small as can be, packed into the document as the file has it. */

import { gzipSync } from "node:zlib";

const words = {
  language: { name: "English" },
  numbers: { under: "under 0.1 %", over: "over -0.1 %" },
  page: { rows: "rows", n_entries: "{n} entries", version: "version", from: "from", to: "to", missing: "missing" },
  kinds: { quantity: "quantity" },
  definitions: { rows: "All rows." },
};
const page = { title: "Hives", versions: [{ label: "2024" }, { label: "2025" }], columns: [], findings: [] };
const others = {
  de: {
    page: { title: ["Völker"] },
    words: { language: { name: ["Deutsch"] }, numbers: { under: ["unter 0.1 %"] }, page: { rows: ["Zeilen"] } },
  },
};

const packed = gzipSync(JSON.stringify({ language: "en", page, words, others })).toString("base64");
document.body.innerHTML = `<div id="app"></div><script type="application/gzip" id="nachsicht-data">${packed}</script>`;
