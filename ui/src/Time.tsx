/** Every column over the moment column. */

import { useState } from "preact/hooks";
import { unitStart } from "./bars";
import { page, type TimeView, word } from "./model";
import { numbersOf } from "./numbers";
import { timeFigure, timeMargin, unitsFigure } from "./pairFigure";
import { Drawn } from "./Pairs";
import { SectionHead } from "./parts";

/** Wider than this a course is not easier to follow. */
const MOST_WIDE = 1240;
const wide = (room: number) => Math.max(320, Math.min(room, MOST_WIDE));

export function Time() {
  const time = page.time;
  const [name, choose] = useState(() => firstOf());
  if (time === null || !time.columns.length) return null;
  const column = time.columns.find((other) => other.name === name) ?? time.columns[0]!;
  const newest = page.versions.length - 1;
  const rows = time.rows.flatMap((side, version) =>
    side
      ? side.rows.map((height, i) => ({
          from: new Date(unitStart(side.unit, side.first + i)),
          to: new Date(unitStart(side.unit, side.first + i + 1)),
          height,
          newest: version === newest,
        }))
      : [],
  );
  const missing = column.views.flatMap((view, version) => (view ? gapBars(view, version === newest) : []));
  const jumps = [...new Set(column.views.flatMap((view) => view?.jumps.map((i) => unitText(view, i)) ?? []))];
  return (
    <section class="time" id="time" aria-label={word("page.time_section")}>
      <SectionHead of="time" title={word("page.time_section")} />
      <p class="muted">{word("page.time_sentence", { moment: time.time_column, unit: time.unit, among: time.among })}</p>
      <div class="controls">
        <label>
          {word("page.time_column")}{" "}
          <select value={column.name} onChange={(event) => choose(event.currentTarget.value)}>
            {time.columns.map((other) => (
              <option value={other.name} key={other.name}>
                {other.name}
                {other.views.some((view) => view?.jumps.length) ? ` (${word("page.jump")})` : ""}
              </option>
            ))}
          </select>
        </label>
      </div>
      <Drawn
        draw={(room) =>
          timeFigure(column.views, { width: wide(room), height: 240, x: time.time_column, y: column.name, older: false })
        }
        on={[column]}
        text={word("page.time_of", { column: column.name, unit: time.unit })}
        numbers={() => numbersOf(column.views, column.name, time.time_column)}
        sentences={jumps.length ? [word("page.jumps_at", { list: jumps.join(", ") })] : []}
      />
      {missing.some((bar) => bar.height > 0) && (
        <Drawn
          draw={(room) => unitsFigure(missing, wide(room), word("page.time_missing"), true, timeMargin(column.views))}
          on={[column]}
          text={`${word("page.time_missing")}: ${word("page.time_of", { column: column.name, unit: time.unit })}`}
          numbers={() => numbersOf(column.views, column.name, time.time_column)}
          sentences={[]}
        />
      )}
      <Drawn
        draw={(room) => unitsFigure(rows, wide(room), word("page.time_rows"), false, timeMargin(column.views))}
        on={[column]}
        text={word("page.time_of", { column: word("page.time_rows"), unit: time.unit })}
        numbers={() => ({
          heads: [word("page.from"), word("page.rows")],
          rows: rows.map((bar) => [bar.from.toISOString().slice(0, 16), bar.height]),
        })}
        sentences={[]}
      />
    </section>
  );
}

/** A column that jumps first, if there is one. */
function firstOf(): string {
  const columns = page.time?.columns ?? [];
  const jumping = columns.find((column) => column.views[column.views.length - 1]?.jumps.length);
  return (jumping ?? columns[0])?.name ?? "";
}

function gapBars(view: TimeView, newest: boolean) {
  return view.rows.map((rows, i) => ({
    from: new Date(unitStart(view.unit, view.first + i)),
    to: new Date(unitStart(view.unit, view.first + i + 1)),
    height: rows ? view.missing[i]! / rows : 0,
    newest,
  }));
}

function unitText(view: TimeView, i: number): string {
  const digits = { year: 4, month: 7, day: 10 }[view.unit] ?? 16;
  return new Date(unitStart(view.unit, view.first + i)).toISOString().slice(0, digits).replace("T", " ");
}
