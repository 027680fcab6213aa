// All columns of the runs side by side, a line a run; a drag on an axis keeps the runs within it.
import { useLayoutEffect, useRef } from "preact/hooks";
import { begin, short, theme } from "./canvas";
import type { Cell, Column } from "./runs";
import { useState_, type State } from "./state";
import type { Run } from "./study";

const top = 26, bottom = 22, aside = 40;

export function Parallel({ state, columns, chosen, ranges, keep }: {
  state: State; columns: Column[]; chosen: Run[]; ranges: Record<number, string>; keep: (column: number, range: string) => void;
}) {
  useState_(state);
  const canvas = useRef<HTMLCanvasElement>(null), drag = useRef<{ c: number; from: number } | null>(null);
  const names = columns.map((c) => [...new Set(state.data.runs.map(c.of).filter((v): v is string => typeof v === "string"))]);
  const number = (c: number, v: Cell) => (typeof v === "string" ? names[c].indexOf(v) : v);
  const spans = columns.map((col, c): [number, number] => {
    let low = Infinity, high = -Infinity;
    for (const r of state.data.runs) {
      const v = number(c, col.of(r));
      if (v === null) continue;
      if (v < low) low = v;
      if (v > high) high = v;
    }
    return low < high ? [low, high] : Number.isFinite(low) ? [low - 1, low + 1] : [0, 1];
  });
  useLayoutEffect(() => {
    const { g, w, h } = begin(canvas.current!), t = theme(), gap = (w - 2 * aside) / Math.max(1, columns.length - 1);
    const x = (c: number) => aside + c * gap, y = (c: number, v: number) => h - bottom - ((v - spans[c][0]) / (spans[c][1] - spans[c][0])) * (h - top - bottom);
    const inside = new Set(chosen.map((r) => r.id));
    // One path a kind: thousands of lines stay quick.
    const draw = (runs: Run[], ink: string, wide: number) => {
      g.strokeStyle = ink;
      g.lineWidth = wide;
      g.beginPath();
      for (const r of runs) {
        let open = false;
        columns.forEach((col, c) => {
          const v = number(c, col.of(r));
          if (v === null || !Number.isFinite(v)) open = false;
          else if (open) g.lineTo(x(c), y(c, v));
          else {
            g.moveTo(x(c), y(c, v));
            open = true;
          }
        });
      }
      g.stroke();
    };
    draw(state.data.runs.filter((r) => !inside.has(r.id)), t.grid, 0.8);
    draw(chosen.filter((r) => r.status === "done"), t.main + "aa", 1);
    draw(chosen.filter((r) => r.status === "failed"), t.bad, 1);
    draw(state.data.runs.filter((r) => r.id === state.hovered || state.fresh.includes(r.id)), t.accent, 2.4);
    g.textAlign = "center";
    columns.forEach((col, c) => {
      g.strokeStyle = t.quiet;
      g.lineWidth = 1;
      g.beginPath();
      g.moveTo(x(c), top);
      g.lineTo(x(c), h - bottom);
      g.stroke();
      const both = ranges[c]?.match(/^(-?[\d.e+-]+)\.\.(-?[\d.e+-]+)$/);
      if (both) {
        g.fillStyle = t.accent + "66";
        g.fillRect(x(c) - 6, y(c, Number(both[2])), 12, y(c, Number(both[1])) - y(c, Number(both[2])));
      }
      g.fillStyle = t.ink;
      g.fillText(col.name, x(c), c % 2 && columns.length > 9 ? 20 : 9, gap * (columns.length > 9 ? 1.9 : 0.95));
      g.fillStyle = t.quiet;
      const word = (v: number) => (names[c].length > 0 ? (names[c][v] ?? "") : short(v));
      g.fillText(word(spans[c][0]), x(c), h - 6, gap);
      if (columns.length <= 9) g.fillText(word(spans[c][1]), x(c), 22, gap);
    });
  });
  const place = (e: PointerEvent): { c: number; v: number } => {
    const box = canvas.current!.getBoundingClientRect(), gap = (box.width - 2 * aside) / Math.max(1, columns.length - 1);
    const c = drag.current?.c ?? Math.max(0, Math.min(columns.length - 1, Math.round((e.clientX - box.left - aside) / gap)));
    const share = Math.max(0, Math.min(1, (box.height - bottom - (e.clientY - box.top)) / (box.height - top - bottom)));
    return { c, v: spans[c][0] + share * (spans[c][1] - spans[c][0]) };
  };
  const move = (e: PointerEvent) => {
    if (!drag.current) return;
    const { c, v } = place(e), [low, high] = [Math.min(v, drag.current.from), Math.max(v, drag.current.from)];
    if (names[c].length > 0) keep(c, names[c][Math.round(v)] ?? "");
    else keep(c, high - low < 0.01 * (spans[c][1] - spans[c][0]) ? "" : `${Number(low.toPrecision(4))}..${Number(high.toPrecision(4))}`);
  };
  return <canvas class="parallel" id="parallel" ref={canvas} role="img" aria-label="all columns side by side; the filters of the table do the same by keyboard"
                 onPointerDown={(e) => { const { c, v } = place(e); drag.current = { c, from: v }; e.currentTarget.setPointerCapture(e.pointerId); move(e); }}
                 onPointerMove={move} onPointerUp={(e) => { move(e); drag.current = null; }} />;
}
