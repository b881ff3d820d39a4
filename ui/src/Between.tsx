/** What lies between versions beside single columns: rows, and relations that changed. */

import { useEffect, useState } from "preact/hooks";
import { columnAddress, follow, go, useAddress } from "./address";
import { Matrix } from "./Matrix";
import { type Excerpt, page, type Pair, type RowChanges, word } from "./model";
import { Components, pairAddress, pairIn, pairOf, PairPage } from "./Pairs";
import { Cells, isNumeric, Listed, Search, SectionHead, Term } from "./parts";
import { sorted, SortHead, useSorting } from "./sorting";

/** Whether there is anything to be said or shown of the rows. */
export const hasRows = () => page.rows_sentences.length + page.rows.length > 0 || page.excerpts.some((excerpt) => excerpt.first.length > 0);

export function Rows() {
  if (!hasRows()) return null;
  return (
    <section class="rows" id="rows" aria-label={word("page.rows_section")}>
      <SectionHead of="rows" title={word("page.rows_section")} />
      {page.rows_sentences.map((sentence) => (
        <p class="muted" key={sentence}>
          {sentence}
        </p>
      ))}
      {page.rows.map((rows, i) => (
        <RowsOfStep rows={rows} key={i} />
      ))}
      {page.excerpts.map((excerpt, i) => (
        <Shown excerpt={excerpt} version={i} key={i} />
      ))}
    </section>
  );
}

/** The few rows that are shown of a version. */
function Shown({ excerpt, version }: { excerpt: Excerpt; version: number }) {
  const [sought, seek] = useState("");
  const [missingOnly, setMissingOnly] = useState(false);
  const [farOnly, setFarOnly] = useState(false);
  const [sorting, sort] = useSorting();
  const names = ["first", "sampled", "last"] as const;
  const wanted = (row: (string | null)[], place: number, part: number) =>
    (!missingOnly || row.includes(null)) &&
    (!farOnly || excerpt.outlier_rows[part]!.includes(place)) &&
    (!sought || row.some((cell) => cell?.toLocaleLowerCase().includes(sought.toLocaleLowerCase())));
  const all = names.flatMap((part, p) => excerpt[part].flatMap((row, place) => (wanted(row, place, p) ? [{ row, place, p }] : [])));
  const shown = sorting ? sorted(all.map(({ row }) => row[sorting.by]!), sorting.down).map((i) => all[i]!) : all;
  if (!excerpt.first.length) return null;
  const label = page.versions[version]!.label;
  return (
    <details class="excerpt" open={page.versions.length === 1}>
      <summary>{word("page.excerpt_of", { label })}</summary>
      <div class="controls">
        <Search hint={word("page.find_cell")} sought={sought} seek={seek} />
        <label>
          <input type="checkbox" checked={missingOnly} onChange={() => setMissingOnly(!missingOnly)} /> {word("page.only_missing_rows")}
        </label>
        <label>
          <input type="checkbox" checked={farOnly} onChange={() => setFarOnly(!farOnly)} /> {word("page.only_outliers")}
        </label>
      </div>
      <div class="wide" tabIndex={0}>
        <table>
          <thead>
            <tr>
              <td />
              {excerpt.columns.map((name, i) => (
                <SortHead name={name} at={i} number={isNumeric(name)} sorting={sorting} sort={sort} key={i} />
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.map(({ row, place, p }, i) => (
              <tr key={`${p} ${place}`} class={i && shown[i - 1]!.p !== p && !sorting ? "next-part" : undefined}>
                {sorting || shown[i - 1]?.p !== p ? (
                  <th scope="row" class="muted">
                    {word(`page.excerpt_${names[p]!}`)}
                  </th>
                ) : (
                  <td />
                )}
                <Cells row={row} names={excerpt.columns} outlying={excerpt.outlier_cells[p]!.flatMap(([at, column]) => (at === place ? [column] : []))} />
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </details>
  );
}

function RowsOfStep({ rows }: { rows: RowChanges }) {
  const repeats = rows.duplicate_keys.some((count) => count !== "0");
  return (
    <div class="step">
      <p>{rows.sentence}</p>
      {rows.key_detected && <p class="muted">{word("page.key_found", { key: rows.key.join(", ") })}</p>}
      {repeats && (
        <p class="muted">{word("page.repeated_keys", { old: rows.duplicate_keys[0], new: rows.duplicate_keys[1] })}</p>
      )}
      {rows.not_compared.length > 0 && (
        <p class="muted">{word("page.not_compared", { list: rows.not_compared.join(", ") })}</p>
      )}
      <Keys title={word("page.added_rows")} keys={rows.added} />
      <Keys title={word("page.removed_rows")} keys={rows.removed} />
      <div class="tables">
        {rows.cells.length > 0 && (
          <table>
            <thead>
              <tr>
                <th scope="col"><Term term="rewritten">{word("page.rewritten")}</Term></th>
                <th scope="col" class="number" colSpan={2}>
                  {word("page.rows_with_change")}
                </th>
                <th />
              </tr>
            </thead>
            <tbody>
              {rows.cells.map(([column, count, share, rewrite]) => (
                <tr key={column}>
                  <th scope="row">
                    <ColumnLink name={column} />
                  </th>
                  <td class="number">{count}</td>
                  <td class="number">{share}</td>
                  <td>{rewrite}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {rows.examples.length > 0 && (
          <table>
            <thead>
              <tr>
                <th scope="col">
                  <Term term="key">{word("page.key")}</Term>
                </th>
                <th scope="col">{word("page.column")}</th>
                <th scope="col">{rows.labels[0]}</th>
                <th scope="col">{rows.labels[1]}</th>
              </tr>
            </thead>
            <tbody>
              {rows.examples.map(([key, column, before, after], i) => (
                <tr key={i}>
                  <th scope="row" class="value">
                    {key}
                  </th>
                  <td>{column}</td>
                  <td class="value">{before ?? "–"}</td>
                  <td class="value">{after ?? "–"}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
    </div>
  );
}

function Keys({ title, keys }: { title: string; keys: string[] }) {
  if (!keys.length) return null;
  return (
    <p class="muted">
      {title} {keys.join(" · ")}
    </p>
  );
}

/** Relations that changed beyond chance, the largest change first. */
export function Relations() {
  const named = pairIn(useAddress());
  const [last, remember] = useState<Pair | null>(page.pairs[0] ?? null);
  const [missed, setMissed] = useState(false);
  const pair = named ?? last;
  useEffect(() => {
    if (!named) return;
    remember(named);
    setMissed(false);
  }, [named]);
  const choose = (one: string, other: string) => {
    const found = pairOf(one, other);
    setMissed(found === null);
    if (found) go(pairAddress(found));
  };
  if (page.matrix === null) {
    return page.no_relations === null ? null : (
      <section class="relations" id="relations" aria-label={word("page.relations_section")}>
        <SectionHead of="relations" title={word("page.relations_section")} />
        <p class="muted">{page.no_relations}</p>
      </section>
    );
  }
  return (
    <section class="relations" id="relations" aria-label={word("page.relations_section")}>
      <SectionHead of="relations" title={word("page.relations_section")} />
      <p class="muted">{page.matrix.summary}</p>
      {page.relations.length > 0 && <Changed />}
      <div class="side-by-side">
        <Matrix choose={choose} />
        <div>
          <Strongest title={word("page.strongest_pairs")} pairs={page.matrix.strongest} choose={choose} />
          {page.matrix.negative.length > 0 && (
            <Strongest title={word("page.strongest_negative")} pairs={page.matrix.negative} choose={choose} />
          )}
        </div>
      </div>
      {page.pairs.length > 0 && (
        <div class="controls">
          <label>
            {word("page.drawn_pairs")}{" "}
            <select
              value={pair ? pairAddress(pair) : ""}
              onChange={(event) => go(event.currentTarget.value)}
            >
              {!pair && <option value="">–</option>}
              {page.pairs.map((other) => (
                <option value={pairAddress(other)} key={pairAddress(other)}>
                  {other.x} × {other.y}
                </option>
              ))}
            </select>
          </label>
          {missed && <span class="muted">{word("page.not_drawn")}</span>}
        </div>
      )}
      {pair && <PairPage pair={pair} />}
      <Components />
      {page.matrix.further.map((sentence) => (
        <p class="muted" key={sentence}>
          {sentence}
        </p>
      ))}
      <details class="behind notes">
        <summary>{word("page.relations_notes")}</summary>
        {page.matrix.groups.map((group) => (
          <p key={group}>{group}</p>
        ))}
        <Listed sentence="page.tied_to_nothing" names={page.matrix.unrelated} />
        <Listed sentence="page.relations_left_out" names={page.matrix.excluded} />
      </details>
    </section>
  );
}

type Listed = NonNullable<typeof page.matrix>["strongest"];

function Strongest({ title, pairs, choose }: { title: string; pairs: Listed; choose: (a: string, b: string) => void }) {
  return (
    <table>
      <thead>
        <tr>
          <th scope="col">{title}</th>
          <th scope="col"><Term term="measure">{word("page.measure")}</Term></th>
          <th scope="col" class="number" colSpan={2}>
            <Term term="strength">{word("page.strength")}</Term>
          </th>
          <th scope="col" class="number">
            {word("page.rows")}
          </th>
          <td />
        </tr>
      </thead>
      <tbody>
        {pairs.map(([one, other, measure, strength, error, rows], i) => (
          <tr key={i}>
            <th scope="row">
              <ColumnLink name={one} /> × <ColumnLink name={other} />
            </th>
            <td>{word(`measures.${measure}`)}</td>
            <td class="number">
              <strong>{strength}</strong>
            </td>
            <td class="number muted">{error}</td>
            <td class="number">{rows}</td>
            <td>
              {pairOf(one, other) && (
                <button type="button" class="quiet" onClick={() => choose(one, other)}>
                  {word("page.draw")}
                </button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Changed() {
  const many = page.versions.length > 2;
  return (
    <>
      <h3>{word("page.changed_relations")}</h3>
      <div class="wide">
        <table>
          <thead>
            <tr>
              <th scope="col">{word("page.two_columns")}</th>
              <th scope="col"><Term term="measure">{word("page.measure")}</Term></th>
              {many && <th scope="col">{word("page.version")}</th>}
              <th scope="col" class="number">
                {word("page.change")}
              </th>
            </tr>
          </thead>
          <tbody>
            {page.relations.slice(0, 40).map((relation, i) => (
              <tr key={i}>
                <th scope="row">
                  <ColumnLink name={relation.x} /> × <ColumnLink name={relation.y} />
                </th>
                <td>{word(`measures.${relation.measure}`)}</td>
                {many && <td>{relation.labels.join(" → ")}</td>}
                <td class="number">
                  <span class="older">{relation.old} → </span>
                  <strong>{relation.new}</strong>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}

function ColumnLink({ name }: { name: string }) {
  return (
    <a class="name" href={`#${columnAddress(name)}`} onClick={follow(columnAddress(name))}>
      {name}
    </a>
  );
}
