/** The choice of the language that a page is read in, where it was written in several. */

import { language, languageName, languages, word } from "./model";

export function LanguageChoice({ choose }: { choose: (code: string) => void }) {
  return (
    <label class="language">
      {word("page.language")}
      <select value={language} onChange={(event) => choose(event.currentTarget.value)}>
        {languages.map((code) => (
          <option key={code} value={code} lang={code}>
            {languageName(code)}
          </option>
        ))}
      </select>
    </label>
  );
}
