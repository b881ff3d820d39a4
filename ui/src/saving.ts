/** Figures and their numbers as files: SVG, PNG and CSV, made in the browser, sent nowhere. */

/** What a figure's look depends on beside its own attributes. */
const LOOKS = [
  "fill",
  "fill-opacity",
  "stroke",
  "stroke-width",
  "stroke-opacity",
  "stroke-dasharray",
  "opacity",
  "color",
  "font-family",
  "font-size",
  "font-weight",
] as const;

/** A figure by itself, with the look that the page's style gives it. */
export function svgText(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const from = [svg, ...svg.querySelectorAll("*")];
  const into = [copy, ...copy.querySelectorAll("*")];
  from.forEach((element, i) => {
    const style = getComputedStyle(element);
    for (const look of LOOKS) into[i]!.setAttribute(look, style.getPropertyValue(look));
  });
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  return new XMLSerializer().serializeToString(copy);
}

/** The figure as a picture of twice its size, on the page's paper. */
export async function pngOf(svg: SVGSVGElement): Promise<Blob | null> {
  const { width, height } = svg.getBoundingClientRect();
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svgText(svg))}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = 2 * width;
  canvas.height = 2 * height;
  const context = canvas.getContext("2d")!;
  context.fillStyle = getComputedStyle(document.body).backgroundColor;
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((done) => canvas.toBlob(done, "image/png"));
}

/** A table as CSV. */
export function csvOf(table: HTMLTableElement): string {
  const texts = (cell: HTMLTableCellElement) => [
    cell.textContent!.trim().replace(/\s+/g, " "),
    ...Array.from({ length: cell.colSpan - 1 }, () => ""),
  ];
  return csvText([...table.rows].map((row) => [...row.cells].flatMap(texts)));
}

/** Rows of texts and numbers as CSV. */
export function csvText(rows: (string | number)[][]): string {
  return rows.map((row) => row.map((cell) => field(String(cell))).join(",")).join("\r\n");
}

/** A spreadsheet takes some texts for formulas, whatever it divides fields by: they are quoted. */
function field(text: string): string {
  const plain = /^[=+\-@\t\r]/.test(text) && !/^[-+]?[\d.,\s]+%?$/.test(text) ? `'${text}` : text;
  return /[",;\t\r\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain;
}

/** Offers a file to be kept. */
export function save(name: string, content: Blob): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name.replace(/[^\p{L}\p{N}._-]+/gu, "_");
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
