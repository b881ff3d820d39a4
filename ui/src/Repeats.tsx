/** Rows that equal others: how many, where they stand, and the largest groups. */

import { useState } from "preact/hooks";
import { type Look, page, word } from "./model";
import { Recipe } from "./Recipe";
import { Cells, ColumnHeads, Facts, Strip, Term, VersionChoice } from "./parts";

export function Repeats() {
  const { facts, versions } = page.repeats;
  const having = versions.flatMap((looks, i) => (looks.length ? [i] : []));
  const [version, setVersion] = useState(having[having.length - 1] ?? 0);
  return (
    <section class="repeats" id="repeats" aria-label={word("page.repeats_section")}>
      <h2>{word("page.repeats_section")}</h2>
      {having.length === 0 ? (
        <p class="muted">{word("page.no_repeats")}</p>
      ) : (
        <>
          <Recipe of="repeats" />
          {versions.length > 1 && <Facts first="version" rows={facts} />}
          {having.length > 1 ? (
            <VersionChoice chosen={version} choose={setVersion} of={having} />
          ) : (
            versions.length > 1 && <h3>{page.versions[version]!.label}</h3>
          )}
          {versions[version]!.map((look, i) => (
            <OneLook look={look} key={`${version} ${i}`} />
          ))}
        </>
      )}
    </section>
  );
}

function OneLook({ look }: { look: Look }) {
  const cells = look.groups.some(([, , row]) => row.length > 0);
  return (
    <div class="step">
      <p>
        {look.sentence} {look.blocks[0]}
      </p>
      {look.places.length > 0 && (
        <Strip places={look.places} text={word("page.repeats_places", { rows: look.block_rows })} width={520} />
      )}
      <div class="wide" tabIndex={0}>
        <table>
          <thead>
            <tr>
              <th scope="col" class="number">
                <Term term="equal_rows">{word("page.equal_rows")}</Term>
              </th>
              <th scope="col"><Term term="row_numbers">{word("page.row_numbers")}</Term></th>
              {cells && <ColumnHeads names={look.columns} />}
            </tr>
          </thead>
          <tbody>
            {look.groups.map(([rows, numbers, row], i) => (
              <tr key={i}>
                <td class="number">{rows}</td>
                <td>{numbers}</td>
                <Cells row={row} />
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}
