/** Every column against the outcome, those that explain most first. */

import { useLayoutEffect, useRef, useState } from "preact/hooks";
import { columnAddress, follow } from "./address";
import { quiet } from "./axes";
import { type OutcomeView, page, word } from "./model";
import { outcomeFigure } from "./outcomeFigure";
import { Recipe } from "./Recipe";
import { Saves } from "./Saves";
import { Behind, SectionHead, Term, useInSight, VersionMark } from "./parts";

export function Outcome() {
  const outcome = page.outcome;
  const [chosen, choose] = useState(0);
  if (outcome === null) return null;
  return (
    <section class="outcome" id="outcome" aria-label={word("page.outcome_section")}>
      <SectionHead of="outcome" title={word("page.outcome_section")} />
      <p>{outcome.sentence}</p>
      <Recipe of="outcome" />
      <div class="beside-list">
      <div class="wide">
        <table>
          <thead>
            <tr>
              <th scope="col">{word("page.column")}</th>
              {page.versions.map((version, i) => (
                <th scope="col" class="number" key={i}>
                  <Term term="explained">{word("page.explained")}</Term> <VersionMark version={i} /> {version.label}
                </th>
              ))}
              <th scope="col">
                <Term term="outcome_bars">{outcome.by_bin}</Term>
              </th>
            </tr>
          </thead>
          <tbody>
            {outcome.views.map((view, place) => (
              <tr key={view.column} class={place === chosen ? "chosen-line" : undefined}>
                <th scope="row">
                  <a class="name" href={`#${columnAddress(view.column)}`} onClick={follow(columnAddress(view.column))}>
                    {view.column}
                  </a>
                </th>
                {view.explained.map((share, i) => (
                  <td class="number" key={i}>
                    {share ?? "–"}
                  </td>
                ))}
                <td>
                  <button type="button" class="picture" aria-pressed={place === chosen} aria-label={word("page.outcome_by", { column: view.column })} onClick={() => choose(place)}>
                    <Bars view={view} />
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {outcome.views[chosen] && <Large view={outcome.views[chosen]!} />}
      </div>
    </section>
  );
}

/** The outcome by one column, with values that can be read. */
function Large({ view }: { view: OutcomeView }) {
  const outcome = page.outcome!;
  const figure = useRef<HTMLElement>(null);
  const drawn = useRef<HTMLDivElement>(null);
  const [sight, seen] = useInSight<HTMLDivElement>();
  useLayoutEffect(() => {
    if (seen) drawn.current!.replaceChildren(quiet(outcomeFigure(view, outcome, Math.max(280, Math.min(drawn.current!.clientWidth, 900)))));
  }, [view, seen]);
  const labels = page.versions.map((version) => version.label);
  const caption = view.older ? word("page.outcome_caption_two", { new: labels[labels.length - 1]!, old: labels[labels.length - 2]! }) : word("page.outcome_caption");
  return (
    <div ref={sight}>
      <figure class="outcome-large" ref={figure}>
        <h3>{view.column}</h3>
        <div ref={drawn} role="img" aria-label={word("page.outcome_by", { column: view.column })} />
        <figcaption>
          {caption} <Saves inside={figure} name={`${outcome.measure}_${view.column}`} table={() => <OutcomeTable column={view.column} />} />
        </figcaption>
        <Behind summary={word("page.table_behind")}>{() => <OutcomeTable column={view.column} />}</Behind>
      </figure>
    </div>
  );
}

/** The outcome by bin as bars with their intervals; the bins' numbers stand in the column's page. */
function Bars({ view }: { view: OutcomeView }) {
  const [low, high] = page.outcome!.range;
  const width = 256;
  const height = 34;
  const under = 12;
  const most = Math.max(...view.bins.map((bin) => bin.part), 1e-9);
  const y = (value: number) => height * (1 - Math.min(1, Math.max(0, (value - low) / (high - low || 1))));
  const step = width / Math.max(view.bins.length, 1);
  return (
    <svg
      class="outcome-bars"
      width={width}
      height={height + under}
      role="img"
      aria-label={view.bins.map((bin) => `${bin.label}: ${bin.text}`).join("; ")}
    >
      {view.bins.map((bin, i) => (
        <g key={i}>
          <title>{`${bin.label}: ${bin.text}`}</title>
          <rect class="bar" x={i * step + 1} width={Math.max(step - 2, 1)} y={y(bin.value)} height={height - y(bin.value)} />
          <rect
            class="part"
            x={i * step + 1}
            width={Math.max(step - 2, 1)}
            y={height + 2}
            height={(under - 2) * (bin.part / most)}
          />
          {view.older?.[i] != null && (
            <rect
              class="older-bar"
              x={i * step + 2}
              width={Math.max(step - 4, 1)}
              y={y(view.older[i]!)}
              height={height - y(view.older[i]!)}
            />
          )}
          <line class="interval" x1={(i + 0.5) * step} x2={(i + 0.5) * step} y1={y(bin.low)} y2={y(bin.high)} />
        </g>
      ))}
    </svg>
  );
}

/** The outcome by the bins of one column, in every version. */
export function OutcomeTable({ column }: { column: string }) {
  const view = page.outcome?.views.find((other) => other.column === column);
  if (!view) return null;
  return (
    <table>
      <thead>
        <tr>
          <th scope="col">{page.outcome!.by_bin}</th>
          <th scope="col" class="number">
            {word("page.rows")}
          </th>
          <th scope="col" class="number">
            {page.outcome!.measure}
          </th>
        </tr>
      </thead>
      <tbody>
        {view.bins.map((bin) => (
          <tr key={bin.label}>
            <th scope="row" class="value">
              {bin.label}
            </th>
            <td class="number">{bin.rows}</td>
            <td class="number">{bin.text}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
