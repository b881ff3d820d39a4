/** The code that makes a figure or number again, to be copied. */

import { page, word } from "./model";
import { Behind, Copy } from "./parts";

interface RecipeOf {
  of: string;
  facts?: Record<string, string | number | number[]>;
  /** Whether the lengths of texts are meant. */
  lengths?: boolean;
  /** Whether it says what it is of, where several stand together. */
  named?: string;
}

/** A value as a literal of Python: what JSON writes of texts and numbers is one. */
function literal(value: string | number | number[]): string {
  return JSON.stringify(value);
}

function filled(code: string, facts: RecipeOf["facts"], lengths: boolean): string {
  return code.replace("VALUES", lengths ? "frame[{name}].str.len()" : "frame[{name}]").replace(/\{(\w+)\}/g, (_, name: string) => literal(facts![name]!));
}

export function Recipe({ of, facts = {}, lengths = false, named }: RecipeOf) {
  const { made, frame, recipes } = page.recipes;
  const [ours, pandas] = recipes[of]!;
  const codes = (): [string, string][] => [
    [word("page.with_us"), `${made}\n${filled(ours, facts, lengths)}`],
    ...(pandas ? [[word("page.with_pandas"), `${frame}\n${filled(pandas, facts, lengths)}`] as [string, string]] : []),
  ];
  return (
    <Behind kind="recipe" summary={named ? `${word("page.recipe")}: ${word(`page.${named}`)}` : word("page.recipe")}>
      {() =>
        codes().map(([name, code]) => (
          <div key={name}>
            <p class="muted">
              {name} <Copy text={code} />
            </p>
            <pre tabIndex={0}>{code}</pre>
          </div>
        ))
      }
    </Behind>
  );
}
