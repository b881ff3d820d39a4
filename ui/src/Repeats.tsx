/** Rows that equal others: how many, where they stand, and the largest groups. */

import { type Look, page, word } from "./model";
import { Recipe } from "./Recipe";
import { Cells, ColumnHeads, Strip, Term } from "./parts";

export function Repeats() {
  return (
    <section class="repeats" id="repeats" aria-label={word("page.repeats_section")}>
      <h2>{word("page.repeats_section")}</h2>
      {page.repeats.length > 0 && <Recipe of="repeats" />}
      {page.repeats.length === 0 && <p class="muted">{word("page.no_repeats")}</p>}
      {page.repeats.map((version) => (
        <div key={version.label}>
          {page.versions.length > 1 && <h3>{version.label}</h3>}
          {version.looks.map((look, i) => (
            <OneLook look={look} key={i} />
          ))}
        </div>
      ))}
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
