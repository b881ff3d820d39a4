/** Missing values of the whole table: by column, along the rows, and what goes missing together. */

import { useState } from "preact/hooks";
import { columnAddress, follow } from "./address";
import { type Missing as MissingData, type MissingColumn, page, word } from "./model";
import { MissingMatrix } from "./MissingMatrix";
import { Recipe } from "./Recipe";
import { Across, DIFFERENCE, Facts, SectionHead, Strip, Term, VersionChoice, VersionHeads, VersionMark } from "./parts";

export function Missing() {
  const missing = page.missing;
  const newest = page.versions.length - 1;
  const [view, setView] = useState(newest);
  if (missing === null) return null;
  const drawn = missing.columns.filter((column) => column.views.length);
  const further = missing.columns.length - drawn.length;
  return (
    <section class="missing-values" id="missing" aria-label={word("page.missing_section")}>
      <SectionHead of="missing" title={word("page.missing_section")} />
      <Recipe of="missing" />
      {missing.matrices.some(Boolean) && <VersionChoice chosen={view} choose={setView} />}
      {view !== DIFFERENCE && missing.matrices[view] && <MissingMatrix matrix={missing.matrices[view]!} version={view} />}
      <div class="tables">
        <Facts first="version" rows={missing.facts} />
        {missing.patterns.length > 0 && <Patterns missing={missing} />}
      </div>
      {missing.further && <p class="muted">{missing.further}</p>}
      {missing.pairs.length > 0 && <PairsOf missing={missing} />}
      {missing.groups.map((group, i) => (
        <p key={i}>{word("page.missing_group", { list: group.join(", ") })}</p>
      ))}
      {!missing.matrices.some(Boolean) && <VersionChoice chosen={view} choose={setView} />}
      <div class="wide">
        {view === DIFFERENCE ? <Changes columns={drawn} /> : <InVersion columns={drawn} version={view} />}
      </div>
      {further > 0 && <p class="muted">{word("page.further_columns", { n: further })}</p>}
    </section>
  );
}

function Patterns({ missing }: { missing: MissingData }) {
  const two = page.versions.length > 1;
  return (
    <table>
      <thead>
        <tr>
          <Head term="missing_together" />
          <VersionHeads />
          {two && <Head term="difference" number />}
          <Head term="share_of_rows" number />
        </tr>
      </thead>
      <tbody>
        {missing.patterns.map((pattern, i) => (
          <tr key={i}>
            <th scope="row" class="value">
              {pattern.columns.slice(0, 6).join(" + ")}
              {pattern.columns.length > 6 && ` + ${pattern.columns.length - 6}`}
            </th>
            {pattern.rows[0].map((rows, version) => (
              <td class="number" key={version}>
                {rows}
              </td>
            ))}
            {two && <td class="number muted">{pattern.rows[1]}</td>}
            <td class="number">{pattern.share}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function PairsOf({ missing }: { missing: MissingData }) {
  return (
    <details class="behind">
      <summary>{word("page.missing_pairs")}</summary>
      <table>
        <thead>
          <tr>
            <th scope="col">{word("page.two_columns")}</th>
            <th scope="col" class="number">{word("page.rows")}</th>
            <Head term="jaccard" number />
          </tr>
        </thead>
        <tbody>
          {missing.pairs.map(([one, other, rows, shared], i) => (
            <tr key={i}>
              <th scope="row" class="value">{one} + {other}</th>
              <td class="number">{rows}</td>
              <td class="number">{shared}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}

/** The columns with missing values, as they are in one version. */
function InVersion({ columns, version }: { columns: MissingColumn[]; version: number }) {
  const drawn = columns.flatMap((column) => {
    const view = column.views[version];
    return view ? [{ column, view }] : [];
  });
  const over = drawn.find(({ view }) => view.over_time)?.view.over_time?.[0];
  // What the matrix does not show more plainly.
  const along = !page.missing!.matrices[version] && drawn.some(({ view }) => view.places.length);
  const among = drawn.some(({ view }) => view.among.length);
  return (
    <table class="gap-columns">
      <thead>
        <tr>
          <th scope="col">{word("page.column")}</th>
          <Head term="missing" number />
          <Head term="missing_amount" />
          <Head term="rows_lost" number />
          <Head term="sole_missing" number />
          {along && <Head term="missing_along_rows" />}
          <th scope="col">{over && word("page.missing_over_time", { moment: over })}</th>
          <th scope="col">{among && <Term term="missing_with">{word("page.missing_with")}</Term>}</th>
        </tr>
      </thead>
      <tbody>
        {drawn.map(({ column, view }) => (
          <tr key={column.name}>
            <NameOf column={column} />
            <td class="number">
              {version === page.versions.length - 1 ? <Shares column={column} /> : <strong>{column.shares[version]}</strong>}
            </td>
            <td>{view.word}</td>
            <td class="number">{view.lost}</td>
            <td class="number">{view.only}</td>
            {along && (
              <td>
                <Along column={column} version={version} />
              </td>
            )}
            <td>
              {view.over_time && (
                <Strip
                  places={view.over_time[1]}
                  text={`${column.name} ${word("page.missing_over_time", { moment: view.over_time[0] })}`}
                  width={120}
                />
              )}
            </td>
            <td class="among">{view.among.join("; ")}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The columns by how much their missing share changed between the last two versions. */
function Changes({ columns }: { columns: MissingColumn[] }) {
  const changed = columns.filter((column) => column.change).sort((a, b) => Math.abs(b.change!) - Math.abs(a.change!));
  const most = Math.max(...changed.map((column) => Math.abs(column.change!)));
  const newest = page.versions.length - 1;
  if (!changed.length) return <p class="muted">{word("page.no_missing_changes")}</p>;
  return (
    <table class="gap-columns">
      <thead>
        <tr>
          <th scope="col">{word("page.column")}</th>
          <Head term="missing" number />
          <Head term="change_in_points" number />
          <td />
          <Head term="missing_along_rows" />
        </tr>
      </thead>
      <tbody>
        {changed.map((column) => (
          <tr key={column.name}>
            <NameOf column={column} />
            <td class="number">
              <Shares column={column} />
            </td>
            <td class="number">
              <strong>{signed(column.change!)}</strong>
            </td>
            <td>
              <ChangeBar column={column} most={most} />
            </td>
            <td class="old-and-new">
              {[newest - 1, newest].map((version) => (
                <span key={version}>
                  <VersionMark version={version} />
                  <Along column={column} version={version} />
                </span>
              ))}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const signed = (points: number) => `${points > 0 ? "+" : "−"}${Math.abs(points)}`;

/** From the middle: to the right where more is missing, to the left where less is. */
function ChangeBar({ column, most }: { column: MissingColumn; most: number }) {
  const half = 60;
  const length = Math.max(1, (Math.abs(column.change!) / most) * half);
  const text = word("page.share_change_of", { column: column.name, points: signed(column.change!) });
  return (
    <svg class="change-bar" width={2 * half} height={14} role="img" aria-label={text}>
      <title>{text}</title>
      <rect class={column.change! > 0 ? "risen" : "fallen"} x={column.change! > 0 ? half : half - length} y={2} width={length} height={10} />
      <line x1={half} x2={half} y1={0} y2={14} />
    </svg>
  );
}

function Along({ column, version }: { column: MissingColumn; version: number }) {
  const view = column.views[version];
  if (!view) return null;
  return <Strip places={view.places} text={word("page.missing_along_rows_of", { column: column.name, rows: view.block_rows })} />;
}

function Shares({ column }: { column: MissingColumn }) {
  return <Across values={page.grouped_by === null ? column.shares.slice(-2) : column.shares} />;
}

function NameOf({ column }: { column: MissingColumn }) {
  return (
    <th scope="row">
      <a class="name" href={`#${columnAddress(column.name)}`} onClick={follow(columnAddress(column.name))}>
        {column.name}
      </a>
    </th>
  );
}

function Head({ term, number }: { term: string; number?: boolean }) {
  return (
    <th scope="col" class={number ? "number" : undefined}>
      <Term term={term}>{word(`page.${term}`)}</Term>
    </th>
  );
}
