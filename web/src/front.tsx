// The trade-off that seek --front found: two responses against each other, a click goes to a setting.
import { useLayoutEffect, useRef, useState } from "preact/hooks";
import { begin, dot, frame, theme, type Frame } from "./canvas";
import { useState_, type State } from "./state";
import { numbersOf, title } from "./study";

/** Means of what is predicted: settings of the region that hold the limits, and the front. */
interface Reached {
  of: unknown;
  cloud: Float64Array;
  front: Float64Array;
}

export function FrontTab({ state }: { state: State }) {
  useState_(state);
  const canvas = useRef<HTMLCanvasElement>(null), at = useRef<Frame | null>(null), kept = useRef<Reached | null>(null);
  const wanted = state.scalars.filter((k) => state.problem.responses[k].goal), names = wanted.length > 1 ? wanted : state.scalars;
  const [[a, b], setPair] = useState<[number, number]>([names[0] ?? 0, names[1] ?? names[0] ?? 0]), [over, setOver] = useState(-1);
  const core = state.core, front = state.data.front;
  useLayoutEffect(() => {
    const c = canvas.current;
    if (!c || !core || front.length === 0) return;
    if (kept.current?.of !== front)
      kept.current = { of: front, cloud: core.means(core.spread(1500, true)), front: core.means(Float64Array.from(front.flatMap((f) => numbersOf(state.problem, f.point)))) };
    const { g, w, h } = begin(c), t = theme(), n = core.outputs.length, [i, j] = [core.first[a], core.first[b]];
    const r = kept.current, now = core.means(Float64Array.from(state.x)), [ra, rb] = [state.response_(a), state.response_(b)];
    const span = (o: number): [number, number] => {
      const [low, high] = state.extremes[o], spare = 0.04 * (high - low);
      return [low - spare, high + spare];
    };
    const f = (at.current = frame(g, t, w, h, span(i), span(j), title(ra, ra.response), title(rb, rb.response)));
    g.save();
    g.beginPath();
    g.rect(f.left, f.top, f.right - f.left, f.bottom - f.top);
    g.clip();
    g.fillStyle = t.grid;
    for (let m = 0; m < r.cloud.length / n; ++m) dot(g, f.x(r.cloud[m * n + i]), f.y(r.cloud[m * n + j]), 1.6, true);
    g.strokeStyle = g.fillStyle = t.quiet;
    g.lineWidth = 1;
    for (const run of state.data.runs) {
      const [x, y] = [run.responses[ra.response], run.responses[rb.response]];
      if (typeof x === "number" && typeof y === "number" && run.status === "done") dot(g, f.x(x), f.y(y), run.use === "confirm" ? 5 : 3, run.use === "confirm");
    }
    front.forEach((p, m) => {
      g.fillStyle = p.knee ? t.good : t.main;
      dot(g, f.x(r.front[m * n + i]), f.y(r.front[m * n + j]), m === over ? 7 : p.knee ? 6 : 3.5, true);
    });
    g.fillStyle = t.accent;
    dot(g, f.x(now[i]), f.y(now[j]), 6, true);
    g.restore();
  });
  if (!core || front.length === 0) return <p class="quiet">No trade-off was sought: renth seek --front.</p>;
  const nearest = (e: PointerEvent) => {
    const box = canvas.current!.getBoundingClientRect(), f = at.current!, n = core.outputs.length, y = kept.current!.front;
    let best = -1, least = 18 ** 2;
    for (let m = 0; m < front.length; ++m) {
      const d = (f.x(y[m * n + core.first[a]]) - (e.clientX - box.left)) ** 2 + (f.y(y[m * n + core.first[b]]) - (e.clientY - box.top)) ** 2;
      if (d < least) [best, least] = [m, d];
    }
    return best;
  };
  const choose = (which: 0 | 1) => (
    <select aria-label={which === 0 ? "across" : "upwards"} value={which === 0 ? a : b} onChange={(e) => setPair(which === 0 ? [Number(e.currentTarget.value), b] : [a, Number(e.currentTarget.value)])}>
      {state.scalars.map((k) => <option value={k}>{state.response_(k).label || state.response_(k).response}</option>)}
    </select>
  );
  const step = (by: number) => {
    const to = Math.max(0, Math.min(front.length - 1, over + by));
    setOver(to);
    state.jump(front[to].point);
  };
  return (
    <div class="tab-body">
      <p class="bar">{choose(0)} against {choose(1)} <button onClick={() => step(-1)} aria-label="the one before">‹</button><button id="front-next" onClick={() => step(1)} aria-label="the next">›</button>
        <span class="quiet">full: the trade-off ({front.length} settings), green: its knee, orange: the setting now; grey: what else is reached; rings: runs, full grey: confirmed. A click goes there.</span></p>
      <canvas class="big" id="front" ref={canvas} role="img" aria-label="the trade-off between two responses; the buttons step along it"
              onPointerMove={(e) => { const m = nearest(e); if (m !== over && m >= 0) setOver(m); }}
              onClick={(e) => { const m = nearest(e as unknown as PointerEvent); if (m >= 0) { setOver(m); state.jump(front[m].point); } }} />
    </div>
  );
}
