/** The verdict: one sentence, and the findings by weight. */

import { columnAddress, follow } from "./address";
import { type Finding, page, word } from "./model";
import { WeightTag } from "./parts";

export function Verdict() {
  return (
    <section class="verdict" id="verdict" aria-label={word("page.verdict")}>
      <p class="lead">
        <strong>{page.verdict.lead}</strong> {page.verdict.rest}
      </p>
      {page.findings.length === 0 && <p class="muted">{word("page.no_findings")}</p>}
      <ul class="findings">
        {page.findings.map((finding, i) => (
          <li class="finding" key={i} id={`finding-${i}`}>
            <WeightTag weight={finding.weight} />
            <FindingText finding={finding} />
          </li>
        ))}
      </ul>
    </section>
  );
}

export function FindingText({ finding, inColumn = false }: { finding: Finding; inColumn?: boolean }) {
  const manySteps = page.versions.length > 2 && finding.versions.length === 2;
  return (
    <div>
      <h3 class="finding-title">
        {finding.title}{" "}
        {!inColumn &&
          finding.columns.map((name) => (
            <a key={name} class="name" href={`#${columnAddress(name)}`} onClick={follow(columnAddress(name))}>
              {name}
            </a>
          ))}
        {manySteps && <span class="older"> {finding.versions.join(" → ")}</span>}
      </h3>
      <p class="finding-sentence">{finding.sentence}</p>
      <details class="next">
        <summary>{word("page.next_step")}</summary>
        <p>{finding.next_step}</p>
        <dl class="evidence" aria-label={word("page.evidence")}>
          {Object.entries(finding.evidence).map(([name, value]) => (
            <div key={name}>
              <dt>{name.replaceAll("_", " ")}</dt>
              <dd>{Array.isArray(value) ? value.join(", ") : String(value)}</dd>
            </div>
          ))}
        </dl>
      </details>
    </div>
  );
}
