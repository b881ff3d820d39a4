/** Gaps of the whole table: by column, along the rows, and what goes missing together. */

import { columnAddress, follow } from "./address";
import { page, word } from "./model";
import { Recipe } from "./Recipe";
import { Across, Strip, Term, VersionHeads } from "./parts";

export function Gaps() {
  const gaps = page.gaps;
  if (gaps === null) return null;
  const over = gaps.columns.find((column) => column.over_time)?.over_time?.[0];
  return (
    <section class="gaps" id="gaps" aria-label={word("page.gaps_section")}>
      <h2>{word("page.gaps_section")}</h2>
      <Recipe of="gaps" />
      <div class="tables">
        <table>
          <thead>
            <tr>
              <th scope="col">
                <Term term="version">{word("page.version")}</Term>
              </th>
              <VersionHeads />
            </tr>
          </thead>
          <tbody>
            {Object.keys(gaps.facts[0] ?? {}).map((name) => (
              <tr key={name}>
                <th scope="row">
                  <Term term={name}>{word(`page.${name}`)}</Term>
                </th>
                {gaps.facts.map((facts, i) => (
                  <td class="number" key={i}>
                    {facts[name]}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
        {gaps.patterns.length > 0 && (
          <table>
            <thead>
              <tr>
                <th scope="col"><Term term="missing_together">{word("page.missing_together")}</Term></th>
                <VersionHeads />
                <th scope="col" class="number">
                  <Term term="share_of_rows">{word("page.share_of_rows")}</Term>
                </th>
              </tr>
            </thead>
            <tbody>
              {gaps.patterns.map((pattern, i) => (
                <tr key={i}>
                  <th scope="row" class="value">
                    {pattern.columns.slice(0, 6).join(" + ")}
                    {pattern.columns.length > 6 && ` + ${pattern.columns.length - 6}`}
                  </th>
                  {pattern.rows.map((rows, version) => (
                    <td class="number" key={version}>
                      {rows}
                    </td>
                  ))}
                  <td class="number">{pattern.share}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
      {gaps.further && <p class="muted">{gaps.further}</p>}
      {gaps.pairs.length > 0 && (
        <details class="behind">
          <summary>{word("page.gap_pairs")}</summary>
          <table>
            <thead>
              <tr>
                <th scope="col">{word("page.two_columns")}</th>
                <th scope="col" class="number">{word("page.rows")}</th>
                <th scope="col" class="number">
                  <Term term="gap_shared">{word("page.gap_shared")}</Term>
                </th>
              </tr>
            </thead>
            <tbody>
              {gaps.pairs.map(([one, other, rows, shared], i) => (
                <tr key={i}>
                  <th scope="row" class="value">{one} + {other}</th>
                  <td class="number">{rows}</td>
                  <td class="number">{shared}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      )}
      {gaps.groups.map((group, i) => (
        <p key={i}>{word("page.gap_group", { list: group.join(", ") })}</p>
      ))}
      <div class="wide">
        <table class="gap-columns">
          <thead>
            <tr>
              <th scope="col">{word("page.column")}</th>
              <th scope="col" class="number">
                <Term term="missing">{word("page.missing")}</Term>
              </th>
              <th scope="col"><Term term="gap_word">{word("page.gap_word")}</Term></th>
              <th scope="col" class="number">
                <Term term="rows_lost">{word("page.rows_lost")}</Term>
              </th>
              <th scope="col" class="number">
                <Term term="only_missing">{word("page.only_missing")}</Term>
              </th>
              <th scope="col">
                <Term term="gap_places">{word("page.gap_places")}</Term>
              </th>
              <th scope="col">{over && word("page.gaps_over_time", { moment: over })}</th>
              <th scope="col">{gaps.columns.some((column) => column.among.length) && <Term term="gaps_with">{word("page.gaps_with")}</Term>}</th>
            </tr>
          </thead>
          <tbody>
            {gaps.columns.slice(0, 60).map((column) => (
              <tr key={column.name}>
                <th scope="row">
                  <a class="name" href={`#${columnAddress(column.name)}`} onClick={follow(columnAddress(column.name))}>
                    {column.name}
                  </a>
                </th>
                <td class="number">
                  <Across values={page.grouped_by === null ? column.shares.slice(-2) : column.shares} />
                </td>
                <td>{column.word}</td>
                <td class="number">{column.lost}</td>
                <td class="number">{column.only}</td>
                <td>
                  <Strip
                    places={column.places}
                    text={word("page.gap_places_of", { column: column.name, rows: column.block_rows })}
                  />
                </td>
                <td>
                  {column.over_time && (
                    <Strip
                      places={column.over_time[1]}
                      text={`${column.name} ${word("page.gaps_over_time", { moment: column.over_time[0] })}`}
                      width={120}
                    />
                  )}
                </td>
                <td class="among">{column.among.join("; ")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {gaps.columns.length > 60 && <p class="muted">{word("page.further_columns", { n: gaps.columns.length - 60 })}</p>}
    </section>
  );
}
