/** A column's full page, opened in place. */

import { useEffect, useState } from "preact/hooks";
import { largeFigure, shares } from "./figure";
import { count, percent, percentTick, whole } from "./format";
import { type Column, page, type Summary, word } from "./model";
import { columnAddress, follow } from "./address";
import { numbersOf } from "./numbers";
import { OutcomeTable } from "./Outcome";
import { timeFigure } from "./pairFigure";
import { Drawn, pairAddress, pairOf } from "./Pairs";
import { Recipe } from "./Recipe";
import { Heads, NoteOn, Term, SeverityTag } from "./parts";
import { LargeDistribution } from "./Distribution";
import { FindingText } from "./Verdict";

export function ColumnPage({ column }: { column: Column }) {
  // The figure is seen first; the numbers below it come with the next frame.
  const [settled, setSettled] = useState(false);
  useEffect(() => {
    const frame = requestAnimationFrame(() => setTimeout(() => setSettled(true)));
    return () => cancelAnimationFrame(frame);
  }, []);
  const newest = [...column.versions].reverse().find((version) => version !== null)!;
  const names = new Set(column.names.filter((name) => name !== null));
  const findings = page.findings.filter((finding) => finding.columns.some((name) => names.has(name)));
  return (
    <div class="column-page">
      <p class="muted why">
        {word("page.why_kind", { kind: word(`kinds.${column.kind}`), reason: word(`kind_reasons.${column.reason}`) })}{" "}
        {word("page.stored_as", { type: newest.dtype })}
        {column.trajectory && <> {word(`trajectories.${column.trajectory}`, { since: column.since_version })}</>}
      </p>
      <NoteOn of={`column/${column.name}`} />
      {column.described.map((sentence) => (
        <p class="why" key={sentence}>
          {sentence}
        </p>
      ))}
      {newest.error_bounds && <p class="approximate">≈ {newest.error_bounds}</p>}
      {findings.length > 0 && (
        <ul class="findings">
          {findings.map((finding, i) => (
            <li class="finding" key={i}>
              <SeverityTag severity={finding.severity} />
              <FindingText finding={finding} inColumn />
            </li>
          ))}
        </ul>
      )}
      {column.distribution && <LargeDistribution column={column} distribution={column.distribution} />}
      <Cycles column={column} />
      <OverTime column={column} />
      {settled && <Numbers column={column} newest={newest} />}
    </div>
  );
}

/** All that is known in numbers. */
function Numbers({ column, newest }: { column: Column; newest: Summary }) {
  return (
    <>
      <div class="tables">
        <OutcomeTable column={column.name} />
        <Measures column={column} />
        <Statistics column={column} />
        <Quantiles column={column} />
        <Related column={column} />
        <Frequent column={column} of="words" />
        <Frequent column={column} of="top_values" />
        <Frequent column={column} of="rare_values" />
        <Frequent column={column} of="patterns" />
        <Ends column={column} />
      </div>
      <Recipe of={column.kind === "quantity" ? "statistics" : "described"} facts={{ name: column.name }} named="statistics" />
      {newest.top_values.length > 0 && <Recipe of="top_values" facts={{ name: column.name }} named="top_values" />}
      {newest.quantiles.length > 0 && (
        <Recipe
          of="quantiles"
          facts={{ name: column.name, shares: newest.quantiles.map(([share]) => share) }}
          named="quantiles"
        />
      )}
    </>
  );
}

/** The columns that it goes together with; a pair that is drawn is one click away. */
function Related({ column }: { column: Column }) {
  if (!column.relations.length) return null;
  return (
    <table>
      <thead>
        <tr>
          <th scope="col">
            <Term term="related_to">{word("page.related_to")}</Term>
          </th>
          <td />
          <th scope="col" class="number">
            {word("page.strength")}
          </th>
        </tr>
      </thead>
      <tbody>
        {column.relations.map(([other, measure, strength, error]) => {
          const pair = pairOf(column.name, other);
          const address = pair ? pairAddress(pair) : columnAddress(other);
          return (
            <tr key={other}>
              <th scope="row">
                <a class="name" href={`#${address}`} onClick={follow(address)}>
                  {other}
                </a>
              </th>
              <td class="muted">
                <Term term={measure}>{word(`measures.${measure}`)}</Term>
              </td>
              <td class="number">
                {strength} <span class="muted">{error}</span>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** Rows of a moment column by month, weekday and hour. */
function Cycles({ column }: { column: Column }) {
  const names = Object.keys(column.versions[column.versions.length - 1]?.cycles ?? {});
  if (!names.length) return null;
  const totals = column.versions.map((version) => version?.present ?? 0);
  return (
    <div class="cycles">
      {names.map((name) => {
        const labels = name === "hour" ? null : word(`page.${name}s`).split(" ");
        const length = column.versions[column.versions.length - 1]!.cycles[name]!.length;
        const counts = (i: number) => column.versions.map((version) => version?.cycles[name]?.[i] ?? 0);
        const bars = Array.from({ length }, (_, i) => ({
          from: i - 0.36,
          to: i + 0.36,
          label: labels ? labels[i]! : String(i),
          counts: counts(i),
        }));
        return (
          <Drawn
            key={name}
            draw={() =>
              largeFigure({ bars, touching: false, time: false, log: false, beyond: [] }, shares(totals), 360, word(`page.by_${name}`))
            }
            on={[column]}
            text={`${column.name}: ${word(`page.by_${name}`)}`}
            numbers={() => ({
              heads: [word(`page.by_${name}`), ...page.versions.map((version) => version.label)],
              rows: bars.map((bar) => [bar.label, ...bar.counts]),
            })}
            sentences={[]}
          />
        );
      })}
    </div>
  );
}

/** The column along the moment column. */
function OverTime({ column }: { column: Column }) {
  const time = page.time;
  const own = time?.columns.find((other) => other.name === column.name);
  if (!time || !own) return null;
  return (
    <div class="column-time">
      <h4>{word("page.over_time_of", { moment: time.time_column })}</h4>
      <Drawn
        draw={() => timeFigure(own.views, { width: 720, height: 180, x: time.time_column, y: column.name, older: false })}
        on={[own]}
        text={word("page.time_of", { column: column.name, unit: time.unit })}
        sentences={[]}
        numbers={() => numbersOf(own.views, column.name, time.time_column)}
        recipe={<Recipe of="over_time" facts={{ name: column.name }} />}
      />
    </div>
  );
}

/** How far the column moved at each step, by every measure that suits its kind. */
function Measures({ column }: { column: Column }) {
  const names = [...new Set(column.transitions.flatMap((step) => step.measures.map(([name]) => name)))];
  if (!names.length) return null;
  return (
    <table>
      <thead>
        <tr>
          <th scope="col">{word("page.how_far")}</th>
          {column.transitions.map((step, i) => (
            <th scope="col" class="number" key={i}>
              {step.labels.join(" → ")}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {names.map((name) => (
          <tr key={name}>
            <th scope="row">
              <Term term={name}>{word(`measures.${name}`)}</Term>
            </th>
            {column.transitions.map((step, i) => {
              const found = step.measures.find(([other]) => other === name);
              return (
                <td class="number" key={i}>
                  {found ? found[1] : "–"} {found?.[2] && <span class="muted">{found[2]}</span>}
                </td>
              );
            })}
          </tr>
        ))}
        {column.transitions.some((step) => step.not_significant) && (
          <tr>
            <td />
            {column.transitions.map((step, i) => (
              <td class="number muted" key={i}>
                {step.not_significant ? word("page.not_significant") : ""}
              </td>
            ))}
          </tr>
        )}
      </tbody>
    </table>
  );
}

/** Statistics that answer one question stand together; what has no family of its own comes last. */
const FAMILIES: [string, string[]][] = [
  ["counts", ["rows", "missing", "missing_reasons", "distinct", "unique_once", "zeros", "negatives", "infinite", "blank", "edge_spaces", "duplicate_values"]],
  ["centre", ["mean", "median", "mode", "characters", "words", "entries"]],
  ["spread", ["std", "iqr", "mad", "range", "cv", "evenness", "levels_for_80pct", "rare_levels"]],
  ["ends", ["minimum", "maximum", "span_days", "lengths", "first_value", "last_value"]],
  ["shape", ["skewness", "kurtosis", "outliers", "outliers_z", "ppcc", "best_transform"]],
];

interface Line {
  code: string;
  name: string;
  /** By version: what is shown, and exactly. */
  cells: ([string, string] | null)[];
  difference: string;
}

function Statistics({ column }: { column: Column }) {
  const lines = new Map(linesOf(column).map((line) => [line.code, line]));
  const differs = column.versions.length > 1 && [...lines.values()].some((line) => line.difference);
  const families = FAMILIES.map(([family, codes]): [string, Line[]] => [family, codes.flatMap((code) => lines.get(code) ?? [])]);
  const placed = new Set(FAMILIES.flatMap(([, codes]) => codes));
  families.push(["further", [...lines.values()].filter((line) => !placed.has(line.code))]);
  return (
    <table class="statistics">
      <Heads first="statistics" differences={differs} />
      {families.map(
        ([family, own]) =>
          own.length > 0 && (
            <tbody key={family}>
              <tr class="family">
                <th scope="rowgroup" colSpan={1 + column.versions.length + Number(differs)}>
                  {word(`page.family_${family}`)}
                </th>
              </tr>
              {own.map((line) => (
                <StatisticLine key={line.code} line={line} differs={differs} />
              ))}
            </tbody>
          ),
      )}
    </table>
  );
}

function StatisticLine({ line, differs }: { line: Line; differs: boolean }) {
  return (
    <tr>
      <th scope="row">
        <Term term={line.code}>{line.name}</Term>
      </th>
      {line.cells.map((cell, i) => (
        <td class="number value" key={i} title={cell?.[1]}>
          {cell?.[0] ?? "–"}
        </td>
      ))}
      {differs && <td class="number muted">{line.difference}</td>}
    </tr>
  );
}

function linesOf(column: Column): Line[] {
  const counted: [string, (version: Summary) => number, (version: Summary) => string][] = [
    ["rows", (version) => version.rows, (version) => count(version.rows)],
    ["missing", (version) => version.missing, (version) => `${count(version.missing)} (${version.missing_text})`],
    ["distinct", (version) => version.distinct, (version) => version.distinct_text],
    ["unique_once", (version) => version.unique_once, (version) => count(version.unique_once)],
  ];
  const told: [string, (version: Summary) => string][] = [
    ["first_value", (version) => version.first_value],
    ["last_value", (version) => version.last_value],
    ["memory", (version) => version.memory],
  ];
  const codes = [...new Set(column.versions.flatMap((version) => version?.statistics.map(([code]) => code) ?? []))];
  return [
    ...counted.map(([code, number, text]) => ({
      code,
      name: word(`page.${code}`),
      cells: column.versions.map((version): Line["cells"][number] => version && [text(version), ""]),
      difference: differenceOf(column.versions.map((version) => version && number(version))),
    })),
    ...codes.map((code) => ({
      code,
      name: word(`statistics.${code}`),
      cells: column.versions.map((version): Line["cells"][number] => {
        const found = version?.statistics.find(([other]) => other === code);
        return found ? [found[1], found[2]] : null;
      }),
      difference: column.differences[code] ?? "",
    })),
    ...told.map(([code, text]) => ({
      code,
      name: word(`page.${code}`),
      cells: column.versions.map((version): Line["cells"][number] => version && [text(version), ""]),
      difference: "",
    })),
  ];
}

/** The newest count less the one before, with its sign; nothing where either must not be told. */
function differenceOf(counts: (number | null)[]): string {
  const [before, newest] = counts.slice(-2);
  if (before == null || newest == null || counts.length < 2) return "";
  if ([before, newest].some((n) => n > 0 && n < page.smallest_group)) return "";
  return before === newest ? "–" : `${newest > before ? "+" : "−"}${whole(Math.abs(newest - before))}`;
}

function Frequent({ column, of }: { column: Column; of: "words" | "top_values" | "rare_values" | "patterns" }) {
  const all = [...column.versions].reverse().flatMap((version) => version?.[of].map((entry) => entry.value) ?? []);
  const values = [...new Set(all)].slice(0, 10);
  const unique = of === "top_values" && column.versions.every((version) => !version || version.distinct === version.present);
  if (!values.length || unique) return null;
  const shown = (count: number, version: Summary) =>
    of === "words" ? whole(count) : percent(count / version.present);
  // A value outside of a full list is no more frequent than the list's last.
  const unlisted = (version: Summary | null) => {
    const list = version?.[of] ?? [];
    if (list.length < 10 || of === "rare_values") return "–";
    const most = shown(list[list.length - 1]!.count, version!);
    return /^\d/.test(most) ? `≤ ${most}` : most;
  };
  return (
    <table>
      <Heads first={of === "words" ? "frequent_words" : of} />
      <tbody>
        {values.map((value) => (
          <tr key={value}>
            <th scope="row" class="value">
              {value}
            </th>
            {column.versions.map((version, i) => {
              const found = version?.[of].find((level) => level.value === value);
              return (
                <td class="number" key={i} title={found && whole(found.count)}>
                  {found ? shown(found.count, version!) : unlisted(version)}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Quantiles({ column }: { column: Column }) {
  const shares = column.versions.find((version) => version?.quantiles.length)?.quantiles.map(([share]) => share) ?? [];
  if (!shares.length) return null;
  return (
    <table>
      <Heads first="quantiles" />
      <tbody>
        {shares.map((share, row) => (
          <tr key={share}>
            <th scope="row">{percentTick(share)}</th>
            {column.versions.map((version, i) => (
              <td class="number" key={i}>
                {version?.quantiles[row]?.[1] ?? "–"}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Ends({ column }: { column: Column }) {
  if (!column.versions.some((version) => version?.lowest.length)) return null;
  return (
    <table>
      <Heads first="" />
      <tbody>
        {(["lowest", "highest"] as const).map((end) => (
          <tr key={end}>
            <th scope="row">
              <Term term={end}>{word(`page.${end}`)}</Term>
            </th>
            {column.versions.map((version, i) => (
              <td class="number" key={i}>
                {version?.[end].map((entry) => entry.value).join(", ") || "–"}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

