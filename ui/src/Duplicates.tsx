/** Rows that equal others: how many, where they stand, and the largest groups. */

import { useState } from "preact/hooks";
import { type Duplicates as DuplicatesData, page, word } from "./model";
import { Recipe } from "./Recipe";
import { Cells, ColumnHeads, Facts, SectionHead, Strip, Term, VersionChoice } from "./parts";

export function Duplicates() {
  const { facts, versions } = page.duplicates;
  const having = versions.flatMap((subsets, i) => (subsets.length ? [i] : []));
  const [version, setVersion] = useState(having[having.length - 1] ?? 0);
  return (
    <section class="duplicates" id="duplicates" aria-label={word("page.duplicates_section")}>
      <SectionHead of="duplicates" title={word("page.duplicates_section")} />
      {having.length === 0 ? (
        <p class="muted">{word("page.no_duplicates")}</p>
      ) : (
        <>
          <Recipe of="duplicates" />
          {versions.length > 1 && <Facts first="version" rows={facts} />}
          {having.length > 1 ? (
            <VersionChoice chosen={version} choose={setVersion} of={having} />
          ) : (
            versions.length > 1 && <h3>{page.versions[version]!.label}</h3>
          )}
          {versions[version]!.map((duplicates, i) => (
            <OneSubset duplicates={duplicates} key={`${version} ${i}`} />
          ))}
        </>
      )}
    </section>
  );
}

function OneSubset({ duplicates }: { duplicates: DuplicatesData }) {
  const cells = duplicates.groups.some(([, , row]) => row.length > 0);
  return (
    <div class="step">
      <p>
        {duplicates.sentence} {duplicates.runs[0]}
      </p>
      {duplicates.counts_by_block.length > 0 && (
        <Strip places={duplicates.counts_by_block} text={word("page.duplicates_along_rows", { rows: duplicates.block_rows })} width={520} />
      )}
      {duplicates.groups.length > 0 && <div class="wide" tabIndex={0}>
        <table>
          <thead>
            <tr>
              <th scope="col" class="number">
                <Term term="equal_rows">{word("page.equal_rows")}</Term>
              </th>
              <th scope="col"><Term term="row_numbers">{word("page.row_numbers")}</Term></th>
              {cells && <ColumnHeads names={duplicates.columns} />}
            </tr>
          </thead>
          <tbody>
            {duplicates.groups.map(([rows, numbers, row], i) => (
              <tr key={i}>
                <td class="number">{rows}</td>
                <td>{numbers}</td>
                <Cells row={row} names={duplicates.columns} />
              </tr>
            ))}
          </tbody>
        </table>
      </div>}
    </div>
  );
}
