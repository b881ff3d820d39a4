/** Versions and their origin: where the data came from, what computed it, when. */

import { page, word } from "./model";
import { save } from "./saving";
import { SectionHead, Term, VersionHeads } from "./parts";

function keepSettings() {
  const text = page.versions[page.versions.length - 1]!.settings;
  save("nachsicht.toml", new Blob([text], { type: "application/toml" }));
}

export function Origin() {
  const origins = [...new Set(page.versions.flatMap((version) => Object.keys(version.origin).filter((name) => version.origin[name] !== "")))];
  return (
    <section class="origin" id="origin" aria-label={word("page.origin")}>
      <SectionHead of="origin" title={word("page.origin")} />
      {page.theme_notes.map((note) => (
        <p class="approximate" key={note}>
          {note}
        </p>
      ))}
      <div class="wide">
        <table>
          <thead>
            <tr>
              <th scope="col">
                <Term term="version">{word("page.version")}</Term>
              </th>
              <VersionHeads numbers={false} />
            </tr>
          </thead>
          <tbody>
            {origins.map((name) => (
              <tr key={name}>
                <th scope="row">
                  <Term term={name}>{word(`page.${name}`)}</Term>
                </th>
                {page.versions.map((version, i) => (
                  <td key={i}>{version.origin[name] ?? "–"}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p>
        {page.versions[page.versions.length - 1]!.settings ? (
          <>
            <button type="button" class="quiet" onClick={keepSettings}>
              {word("page.keep_settings")}
            </button>{" "}
            <span class="muted">{word("page.settings_told")}</span>
          </>
        ) : (
          !page.smallest_group && <span class="muted">{word("page.settings_default")}</span>
        )}
      </p>
    </section>
  );
}
