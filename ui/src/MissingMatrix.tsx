/** Which cells of evenly drawn rows are missing, how much of each column, and what goes missing together. */

import { columnAddress, follow } from "./address";
import { percent } from "./format";
import { type Column, type MissingMatrix as Matrix, page, word } from "./model";
import { Across, Term } from "./parts";

/** Height of a column's lane, and width of the tree, in pixels. */
const LANE = 18;
const TREE = 150;

export function MissingMatrix({ matrix, version }: { matrix: Matrix; version: number }) {
  const { columns, merges } = matrix;
  const lanes = missingRuns(matrix);
  return (
    <figure class="missing-matrix">
      <div class="lanes" style={`grid-auto-rows: ${LANE}px`}>
        <span class="lane-head">{word("page.column")}</span>
        <span class="lane-head"><Term term="missing">{word("page.missing")}</Term></span>
        <span class="lane-head">{word("page.drawn_rows_across")}</span>
        {merges.length > 0 && <TreeHead />}
        {columns.map((name, i) => (
          <Lane key={name} name={name} runs={lanes[i]!} rows={matrix.rows} version={version} />
        ))}
        {merges.length > 0 && <Tree matrix={matrix} />}
      </div>
      <figcaption class="muted">
        {matrix.caption} {matrix.more}
      </figcaption>
    </figure>
  );
}

function Lane({ name, runs, rows, version }: { name: string; runs: [number, number][]; rows: number; version: number }) {
  const column = page.columns.find((one) => one.names[version] === name);
  const n = runs.reduce((sum, [, length]) => sum + length, 0);
  const text = word("page.missing_lane", { column: name, n, rows });
  return (
    <>
      <a class="name lane-name" href={`#${columnAddress(column?.name ?? name)}`} onClick={follow(columnAddress(column?.name ?? name))} title={name}>
        {name}
      </a>
      <span class="lane-share">{column && <ShareBar column={column} version={version} />}</span>
      <svg class="lane" viewBox={`0 0 ${rows} 1`} preserveAspectRatio="none" role="img" aria-label={text}>
        <title>{text}</title>
        <path d={runs.map(([first, length]) => `M${first} 0h${length}v1h${-length}z`).join("")} />
      </svg>
    </>
  );
}

/** The share of the chosen version in ink, that of the one before as an outline, and both as figures. */
function ShareBar({ column, version }: { column: Column; version: number }) {
  const share = (at: number) => column.versions[at]?.missing_share;
  const now = share(version) ?? 0;
  const before = page.grouped_by === null ? share(version - 1) : undefined;
  const texts = before === undefined ? [percent(now)] : [percent(before), percent(now)];
  return (
    <>
      <svg class="share-bar" width={56} height={10} aria-hidden="true">
        <rect class="share-now" width={Math.max(now > 0 ? 1 : 0, 55 * now)} height={10} />
        {before !== undefined && <rect class="share-before" x={0.5} y={0.5} width={Math.max(0.5, 55 * before)} height={9} />}
      </svg>
      <Across values={texts} />
    </>
  );
}

function TreeHead() {
  return (
    <span class="lane-head tree-head">
      <Term term="missing_tree">{word("page.missing_tree")}</Term>
      <span class="muted">
        <span>{word("page.missing_tree_always")}</span>
        <span>{word("page.missing_tree_never")}</span>
      </span>
    </span>
  );
}

/** Columns that go missing in the same rows are joined far to the left. */
function Tree({ matrix }: { matrix: Matrix }) {
  const n = matrix.columns.length;
  const nodes = matrix.columns.map((_, i) => ({ x: 0, y: (i + 0.5) * LANE }));
  const lines = matrix.merges.map(([one, other, apart]) => {
    const [a, b] = [nodes[one]!, nodes[other]!];
    const x = Math.max(2, apart * (TREE - 4));
    nodes.push({ x, y: (a.y + b.y) / 2 });
    return `M${a.x} ${a.y}H${x}V${b.y}H${b.x}`;
  });
  return (
    <svg class="missing-tree" style={`grid-row: 2 / span ${n}`} width={TREE} height={n * LANE} aria-hidden="true">
      <path d={lines.join("")} />
    </svg>
  );
}

/** For each column the runs of drawn rows without a value: the first, and how many. */
export function missingRuns({ columns, rows, cells }: Matrix): [number, number][][] {
  const signs = atob(cells);
  const width = Math.ceil(rows / 8);
  return columns.map((_, column) => {
    const runs: [number, number][] = [];
    for (let row = 0; row < rows; row++) {
      const byte = signs.charCodeAt(column * width + (row >> 3));
      if (!((byte >> (7 - (row & 7))) & 1)) continue;
      const last = runs.at(-1);
      if (last && last[0] + last[1] === row) last[1]++;
      else runs.push([row, 1]);
    }
    return runs;
  });
}
