// The runs: a table with sorting and filters, any two columns against each other, and how well they are predicted.
import { useLayoutEffect, useRef, useState } from "preact/hooks";
import { begin, dot, frame, line, theme } from "./canvas";
import { Parallel } from "./parallel";
import { useState_, type State } from "./state";
import { numbersOf, pointOf, type Run } from "./study";

export type Cell = number | string | null;
export interface Column {
  name: string;
  unit: string;
  of: (r: Run) => Cell;
}
function columns(state: State): Column[] {
  return [
    ...state.problem.parameters.map((p) => ({ name: p.parameter, unit: p.unit, of: (r: Run): Cell => r.point[p.parameter] ?? null })),
    ...state.problem.responses.map((q) => ({
      name: q.response, unit: q.unit,
      of: (r: Run): Cell => {
        const v = r.responses[q.response];
        return Array.isArray(v) ? v.reduce((s, x) => s + x, 0) / v.length : (v ?? null);
      },
    })),
  ];
}

const rowHeight = 24, windowRows = 16;

/** What the model says at settings all over the region, as if they were runs. */
function imagined(state: State): Run[] {
  const core = state.core!, m = 800, x = core.spread(m, true), y = core.means(x), d = core.d, n = core.outputs.length;
  return Array.from({ length: m }, (_, i) => {
    const responses: Run["responses"] = {};
    state.scalars.forEach((k) => (responses[state.response_(k).response] = y[i * n + core.first[k]]));
    state.curves.forEach((k) => {
      const of = core.outputs.flatMap((o, j) => (o.response === k ? [y[i * n + j]] : []));
      responses[state.response_(k).response] = of;
    });
    return { id: -1 - i, batch: "", use: "fit", status: "done", set_aside: null, point: pointOf(state.problem, Array.from(x.subarray(i * d, (i + 1) * d))), responses };
  });
}

export function RunsTab({ state }: { state: State }) {
  useState_(state);
  const all = columns(state), [sort, setSort] = useState<{ c: number; up: boolean }>({ c: -1, up: true });
  const [ranges, setRanges] = useState<Record<number, string>>({}), [top, setTop] = useState(0), [against, setAgainst] = useState<[number, number]>([0, Math.max(0, state.problem.parameters.length)]);
  const canvas = useRef<HTMLCanvasElement>(null), [drawn, setDrawn] = useState<Run[] | null>(null), [side, setSide] = useState<"table" | "parallel">("table");
  const within = (v: Cell, range: string) => {
    const text = range.trim();
    if (text === "") return true;
    if (typeof v === "string") return v.toLowerCase().includes(text.toLowerCase());
    if (v === null) return false;
    const both = text.match(/^(-?[\d.e+-]*)\s*\.\.\s*(-?[\d.e+-]*)$/i);
    if (both) return (both[1] === "" || v >= Number(both[1])) && (both[2] === "" || v <= Number(both[2]));
    const one = text.match(/^(<=|>=|<|>)\s*(-?[\d.e+-]+)$/i);
    if (one) return one[1] === "<" ? v < Number(one[2]) : one[1] === ">" ? v > Number(one[2]) : one[1] === "<=" ? v <= Number(one[2]) : v >= Number(one[2]);
    return String(v).startsWith(text);
  };
  const kept = (r: Run) => Object.entries(ranges).every(([c, range]) => within(all[Number(c)].of(r), range));
  let rows = state.data.runs.filter(kept);
  if (sort.c >= 0)
    rows = rows.slice().sort((p, q) => {
      const a = all[sort.c].of(p), b = all[sort.c].of(q);
      if (a === null || b === null) return a === b ? 0 : a === null ? 1 : -1;
      return (a < b ? -1 : a > b ? 1 : 0) * (sort.up ? 1 : -1);
    });
  const [a, b] = against;
  useLayoutEffect(() => {
    const c = canvas.current;
    if (!c || !all[a] || !all[b]) return;
    const { g, w, h } = begin(c), t = theme();
    const coded = (col: Column) => {
      const names = [...new Set(state.data.runs.map(col.of).filter((v): v is string => typeof v === "string"))];
      return { names, of: (r: Run) => { const v = col.of(r); return typeof v === "string" ? names.indexOf(v) : v; } };
    };
    const cx = coded(all[a]), cy = coded(all[b]);
    const points = (drawn ?? state.data.runs).map((r) => ({ r, x: cx.of(r), y: cy.of(r) })).filter((p) => p.x !== null && p.y !== null) as { r: Run; x: number; y: number }[];
    if (points.length === 0) return;
    const span = (v: number[]): [number, number] => { const l = Math.min(...v), u = Math.max(...v); return l < u ? [l - 0.03 * (u - l), u + 0.03 * (u - l)] : [l - 1, u + 1]; };
    const f = frame(g, t, w, h, span(points.map((p) => p.x)), span(points.map((p) => p.y)), label(all[a]), label(all[b]), cx.names.length ? cx.names : undefined, cy.names.length ? cy.names : undefined);
    const chosen = new Set((drawn ? drawn.filter(kept) : rows).map((r) => r.id));
    for (const p of points) {
      const hot = state.hovered === p.r.id || state.fresh.includes(p.r.id);
      g.strokeStyle = g.fillStyle = hot ? t.accent : chosen.has(p.r.id) ? t.main : t.grid;
      g.lineWidth = 1.2;
      const [x, y] = [f.x(p.x), f.y(p.y)];
      if (p.r.status === "failed") { line(g, [[x - 3, y - 3], [x + 3, y + 3]]); line(g, [[x - 3, y + 3], [x + 3, y - 3]]); }
      else dot(g, x, y, hot ? 6 : 3.2, p.r.use === "fit");
    }
  });
  const label = (c: Column) => (c.unit ? `${c.name} [${c.unit}]` : c.name);
  if (state.data.runs.length === 0) return <p class="quiet">The study has no runs.</p>;
  const from = Math.max(0, Math.min(rows.length - windowRows, Math.floor(top / rowHeight)));
  const shown = rows.slice(from, from + windowRows + 2);
  return (
    <div class={`tab-body runs ${side === "parallel" ? "with-axes" : ""}`}>
      <p class="bar"><span id="runs-count">{rows.length} of {state.data.runs.length} runs</span>
        {[0, 1].map((i) => (
          <select aria-label={i === 0 ? "across" : "upwards"} value={against[i]} onChange={(e) => { const next: [number, number] = [...against]; next[i] = Number(e.currentTarget.value); setAgainst(next); }}>
            {all.map((c, k) => <option value={k}>{c.name}</option>)}
          </select>
        ))}
        {state.core && <label><input type="checkbox" id="imagined" checked={drawn !== null} onChange={() => setDrawn(drawn ? null : imagined(state))} /> from the model</label>}
        <button id="parallel-axes" onClick={() => setSide(side === "table" ? "parallel" : "table")}>{side === "table" ? "side by side" : "as a table"}</button>
        <span class="quiet">full: fitted, open: others, crosses: failed; filters: 3..5, &gt;2, steel</span></p>
      {side === "parallel" && <Parallel state={state} columns={all} chosen={rows} ranges={ranges} keep={(c, range) => setRanges({ ...ranges, [c]: range })} />}
      <div class="columns">
        <div class="table" onScroll={(e) => setTop(e.currentTarget.scrollTop)} tabIndex={0} role="region" aria-label="runs">
          <table>
            <thead>
              <tr><th>run</th><th>status</th>{all.map((c, i) => (
                <th aria-sort={sort.c === i ? (sort.up ? "ascending" : "descending") : "none"}><button onClick={() => setSort({ c: i, up: sort.c === i ? !sort.up : true })}>{c.name}{sort.c === i ? (sort.up ? " ↑" : " ↓") : ""}</button></th>
              ))}</tr>
              <tr><th></th><th></th>{all.map((c, i) => <th><input class="filter" aria-label={`filter ${c.name}`} value={ranges[i] ?? ""} onInput={(e) => setRanges({ ...ranges, [i]: e.currentTarget.value })} /></th>)}</tr>
            </thead>
            <tbody>
              <tr class="spacer" ref={(r) => { if (r) r.style.height = `${from * rowHeight}px`; }} />
              {shown.map((r) => (
                <tr class={`${r.status} ${r.set_aside ? "aside" : ""} ${state.hovered === r.id ? "hot" : ""}`} title={r.set_aside ? `set aside: ${r.set_aside}` : "click: go to its setting"}
                    onMouseEnter={() => { state.hovered = r.id; state.changed(); }} onMouseLeave={() => { state.hovered = null; state.changed(); }}
                    onClick={() => { const x = numbersOf(state.problem, r.point); if (x.every(Number.isFinite)) state.go(x); }}>
                  <td>{r.id}</td><td>{r.set_aside ? "set aside" : r.status}</td>
                  {all.map((c) => { const v = c.of(r); return <td>{typeof v === "number" ? Number(v.toPrecision(5)) : (v ?? "")}</td>; })}
                </tr>
              ))}
              <tr class="spacer" ref={(r) => { if (r) r.style.height = `${Math.max(0, rows.length - from - shown.length) * rowHeight}px`; }} />
            </tbody>
          </table>
        </div>
        <canvas class="big" ref={canvas} role="img" aria-label="two columns of the runs against each other" />
      </div>
    </div>
  );
}

export function QualityTab({ state }: { state: State }) {
  useState_(state);
  const canvas = useRef<HTMLCanvasElement>(null), [which, setWhich] = useState(0), [residuals, setResiduals] = useState(false);
  const trust = state.data.trust[which];
  const rank = state.data.rank.find((r) => r.response === trust?.response);
  useLayoutEffect(() => {
    const c = canvas.current;
    if (!c || !trust) return;
    const { g, w, h } = begin(c), t = theme();
    const points = trust.residuals.flatMap(([id, observed, cross_validated]) => (observed !== null && cross_validated !== null ? [{ id, observed, cross_validated }] : []));
    if (points.length === 0) return;
    const v = points.flatMap((p) => [p.observed, p.cross_validated]), low = Math.min(...v), high = Math.max(...v), spare = 0.04 * (high - low || 1);
    const off = points.map((p) => p.observed - p.cross_validated), widest = 1.05 * Math.max(1e-300, ...off.map(Math.abs));
    const f = residuals
      ? frame(g, t, w, h, [low - spare, high + spare], [-widest, widest], "predicted by a fit that has not seen the run", "observed − predicted")
      : frame(g, t, w, h, [low - spare, high + spare], [low - spare, high + spare], "observed", "predicted by a fit that has not seen the run");
    g.strokeStyle = t.quiet;
    line(g, residuals ? [[f.left, f.y(0)], [f.right, f.y(0)]] : [[f.x(low), f.y(low)], [f.x(high), f.y(high)]]);
    points.forEach((p, i) => {
      g.fillStyle = state.hovered === p.id ? t.accent : t.main;
      const [x, y] = residuals ? [p.cross_validated, off[i]] : [p.observed, p.cross_validated];
      dot(g, f.x(x), f.y(y), state.hovered === p.id ? 6 : 3.2, true);
    });
  });
  if (!trust) return <p class="quiet">Nothing is fitted.</p>;
  const shares = rank?.parameters ?? [];
  return (
    <div class="tab-body quality">
      <p class="bar"><select aria-label="response" value={which} onChange={(e) => setWhich(Number(e.currentTarget.value))}>{state.data.trust.map((t, i) => <option value={i}>{t.response}</option>)}</select>
        <span class={`verdict ${trust.verdict}`}>{trust.verdict}</span>{trust.q2 !== null && <span>Q² {trust.q2.toFixed(4)}</span>}
        <button id="residuals" onClick={() => setResiduals(!residuals)}>{residuals ? "against observed" : "as residuals"}</button>
        {trust.residuals.length < trust.runs && <span class="quiet">{trust.residuals.length} of {trust.runs} are drawn, the worst among them</span>}</p>
      <ul class="reasons">{trust.reasons.map((r) => <li>{r}</li>)}{trust.next.map((r) => <li class="quiet">{r}</li>)}</ul>
      <div class="columns">
        <canvas class="big" ref={canvas} role="img" aria-label={residuals ? "residuals" : "predicted against observed"} />
        <table class="shares"><caption>{shares.length > 0 ? "what matters: share of the variance" : "renth rank tells what matters"}</caption><tbody>
          {shares.map((s) => (
            <tr><th scope="row">{s.parameter}</th><td><meter min={0} max={1} value={Math.max(0, s.share)} /></td><td>{(100 * s.share).toFixed(1)} %{s.low !== null && s.high !== null && <small> ({(100 * s.low).toFixed(0)} … {(100 * s.high).toFixed(0)})</small>}</td></tr>
          ))}
        </tbody></table>
      </div>
    </div>
  );
}
