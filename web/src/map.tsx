// A map over two parameters, where a click moves the setting; and the same as a surface that turns.
import { contours } from "d3-contour";
import { scaleLinear } from "d3-scale";
import { useLayoutEffect, useRef } from "preact/hooks";
import { area, begin, dot, frame, line, short, theme } from "./canvas";
import { useState_, type State } from "./state";
import { nearest, numbersOf, settable, spanOf, title } from "./study";

/** Means on a grid over the two axes, whether all is acceptable there, and whether limits allow it. */
export function grid(state: State, n: number) {
  const core = state.core!, [a, b] = state.axes, d = core.d, [xl, xh] = spanOf(state.problem.parameters[a]), [yl, yh] = spanOf(state.problem.parameters[b]);
  const points = new Float64Array(n * n * d);
  const [as, bs] = [a, b].map((j) => (state.problem.parameters[j].sort === "continuous" ? [] : settable(state.problem.parameters[j])));
  for (let r = 0; r < n; ++r)
    for (let c = 0; c < n; ++c) {
      const i = (r * n + c) * d;
      points.set(state.x, i);
      points[i + a] = nearest(as, xl + ((xh - xl) * c) / (n - 1));
      points[i + b] = nearest(bs, yl + ((yh - yl) * r) / (n - 1));
    }
  const means = core.means(points), l = state.problem.limits.length, margins = l > 0 ? core.margins(points) : null;
  const o = core.first[state.response], outputs = core.outputs.length;
  const values = new Array<number>(n * n), fine = new Array<boolean>(n * n), allowed = new Array<boolean>(n * n);
  for (let i = 0; i < n * n; ++i) {
    values[i] = means[i * outputs + o];
    fine[i] = state.acceptable(means, i);
    allowed[i] = state.holds(margins, i);
  }
  return { n, values, fine, allowed };
}

function draw(state: State, canvas: HTMLCanvasElement) {
  const { g, w, h } = begin(canvas), t = theme(), [a, b] = state.axes, pa = state.problem.parameters[a], pb = state.problem.parameters[b];
  const xs = spanOf(pa), ys = spanOf(pb);
  const f = frame(g, t, w, h, xs, ys, title(pa, pa.parameter), title(pb, pb.parameter), pa.choices, pb.choices);
  const { n, values, fine, allowed } = grid(state, state.provisional ? 24 : 52);
  const finite = values.filter(Number.isFinite), low = Math.min(...finite), high = Math.max(...finite);
  const at = (c: number, r: number): [number, number] => [f.left + ((c - 0.5) / (n - 1)) * (f.right - f.left), f.bottom - ((r - 0.5) / (n - 1)) * (f.bottom - f.top)];
  const path = (rings: number[][][][]) => {
    g.beginPath();
    for (const polygon of rings)
      for (const ring of polygon) {
        ring.forEach(([c, r], i) => (i ? g.lineTo(...at(c, r)) : g.moveTo(...at(c, r))));
        g.closePath();
      }
  };
  g.save();
  g.beginPath();
  g.rect(f.left, f.top, f.right - f.left, f.bottom - f.top);
  g.clip();
  const levels = scaleLinear([low, high], [0, 1]).ticks(10);
  const shade = scaleLinear<string>([low, high], [t.paper, t.band]);
  g.fillStyle = shade(low);
  g.fillRect(f.left, f.top, f.right - f.left, f.bottom - f.top);
  const drawn = contours().size([n, n]).thresholds(levels)(values);
  for (const c of drawn) {
    path(c.coordinates as number[][][][]);
    g.fillStyle = shade(c.value);
    g.fill();
  }
  // What is acceptable stays clear; the rest is hatched, and what limits forbid is blotted out.
  const hatch = (inside: boolean[], style: string, gap: number) => {
    const [c] = contours().size([n, n]).thresholds([0.5])(inside.map(Number));
    g.save();
    path(c.coordinates as number[][][][]);
    g.clip();
    g.strokeStyle = style;
    g.lineWidth = 1;
    for (let s = -h; s < w; s += gap) line(g, [[s, h], [s + h, 0]]);
    g.restore();
  };
  if (state.scalars.some((k) => Number.isFinite(state.wishes[k].low) || Number.isFinite(state.wishes[k].high))) hatch(fine.map((v) => !v), t.quiet + "66", 9);
  if (allowed.some((v) => !v)) {
    const [c] = contours().size([n, n]).thresholds([0.5])(allowed.map((v) => (v ? 0 : 1)));
    path(c.coordinates as number[][][][]);
    g.fillStyle = t.grid;
    g.fill();
  }
  g.strokeStyle = t.main;
  g.lineWidth = 1;
  for (const c of drawn) {
    path(c.coordinates as number[][][][]);
    g.stroke();
  }
  g.fillStyle = t.ink;
  g.textAlign = "center";
  g.textBaseline = "middle";
  for (const c of drawn) {
    const ring = (c.coordinates as number[][][][])[0]?.[0];
    if (!ring || ring.length < 12) continue;
    // Where the ring runs along the frame there is no line to be labelled.
    const place = [0.37, 0.5, 0.25, 0.62, 0.12, 0.75, 0.88, 0.03].map((s) => at(...(ring[Math.floor(ring.length * s)] as [number, number])))
      .find(([x, y]) => x > f.left + 20 && x < f.right - 20 && y > f.top + 10 && y < f.bottom - 10);
    if (!place) continue;
    const [x, y] = place;
    g.clearRect(x - 16, y - 7, 32, 14);
    g.fillText(short(c.value), x, y);
  }
  const near = state.data.near_best, [na, nb] = [near?.[pa.parameter], near?.[pb.parameter]];
  if (na && nb) {
    g.strokeStyle = t.accent;
    g.setLineDash([6, 4]);
    g.strokeRect(f.x(na[0]), f.y(nb[1]), f.x(na[1]) - f.x(na[0]), f.y(nb[0]) - f.y(nb[1]));
    g.setLineDash([]);
  }
  for (const run of state.data.runs) {
    const x = numbersOf(state.problem, run.point), [px, py] = [f.x(x[a]), f.y(x[b])];
    const hot = state.hovered === run.id || state.fresh.includes(run.id);
    g.strokeStyle = hot ? t.accent : t.ink;
    g.lineWidth = hot ? 3 : 1;
    if (run.status === "failed") {
      line(g, [[px - 3, py - 3], [px + 3, py + 3]]);
      line(g, [[px - 3, py + 3], [px + 3, py - 3]]);
    } else if (run.status === "done") {
      dot(g, px, py, hot ? 6 : run.set_aside ? 1.5 : 3, false);
    }
  }
  g.fillStyle = t.accent;
  dot(g, f.x(state.x[a]), f.y(state.x[b]), 6, true);
  g.restore();
  return f;
}

/** Painter's order on a plain canvas. */
function surface(state: State, canvas: HTMLCanvasElement, turn: number, tilt: number, coarse: boolean) {
  const { g, w, h } = begin(canvas), t = theme(), { n, values, allowed } = grid(state, coarse || state.provisional ? 24 : 44);
  const finite = values.filter(Number.isFinite), low = Math.min(...finite), high = Math.max(...finite);
  const shade = scaleLinear<string>([low, (low + high) / 2, high], [t.band, t.main, t.accent]);
  const size = Math.min(w, h * 1.3) * 0.36;
  const project = (c: number, r: number, v: number): [number, number, number] => {
    const x = c / (n - 1) - 0.5, y = r / (n - 1) - 0.5, z = (v - low) / (high - low || 1) - 0.5;
    const a = x * Math.cos(turn) - y * Math.sin(turn), b = x * Math.sin(turn) + y * Math.cos(turn);
    return [w / 2 + 1.8 * size * a, h / 2 + 1.8 * size * b * Math.sin(tilt) - 1.1 * size * z * Math.cos(tilt), b];
  };
  const faces: { depth: number; at: [number, number, number][]; v: number }[] = [];
  for (let r = 0; r + 1 < n; ++r)
    for (let c = 0; c + 1 < n; ++c) {
      const i = [r * n + c, r * n + c + 1, (r + 1) * n + c + 1, (r + 1) * n + c];
      if (!i.every((k) => allowed[k] && Number.isFinite(values[k]))) continue;
      const at = [project(c, r, values[i[0]]), project(c + 1, r, values[i[1]]), project(c + 1, r + 1, values[i[2]]), project(c, r + 1, values[i[3]])];
      faces.push({ depth: at[0][2] + at[2][2], at, v: (values[i[0]] + values[i[2]]) / 2 });
    }
  faces.sort((p, q) => p.depth - q.depth);
  g.lineWidth = 0.4;
  g.strokeStyle = t.paper;
  for (const face of faces) {
    g.beginPath();
    face.at.forEach(([x, y], i) => (i ? g.lineTo(x, y) : g.moveTo(x, y)));
    g.closePath();
    g.fillStyle = shade(face.v);
    g.fill();
    g.stroke();
  }
  g.fillStyle = t.ink;
  g.textAlign = "center";
  const [a, b] = state.axes, words = (j: number) => title(state.problem.parameters[j], state.problem.parameters[j].parameter);
  for (const [at, text] of [[project((n - 1) / 2, -3, low), words(a)], [project(n + 2, (n - 1) / 2, low), words(b)],
                            [project((n - 1) / 2, n + 2, low), words(a)], [project(-3, (n - 1) / 2, low), words(b)]] as const)
    if (at[2] > 0.3) g.fillText(text, at[0], at[1] + 14);
  g.textAlign = "left";
  g.fillText(`${short(low)} … ${short(high)} ${state.response_(state.response).unit}`, 12, 18);
}

export function MapTab({ state }: { state: State }) {
  useState_(state);
  const canvas = useRef<HTMLCanvasElement>(null), view = useRef({ turn: 0.7, tilt: 0.9, dragging: false });
  useLayoutEffect(() => {
    if (!canvas.current || !state.core || state.scalars.length === 0) return;
    if (state.surface) surface(state, canvas.current, view.current.turn, view.current.tilt, false);
    else draw(state, canvas.current);
  });
  if (!state.core || state.scalars.length === 0) return <p class="quiet">No number is predicted that a map could show.</p>;
  const to = (e: PointerEvent) => {
    const c = canvas.current!, box = c.getBoundingClientRect();
    if (state.surface) {
      if (e.type === "pointermove" && view.current.dragging) {
        view.current.turn += e.movementX * 0.01;
        view.current.tilt = Math.min(1.5, Math.max(0.1, view.current.tilt + e.movementY * 0.006));
        surface(state, c, view.current.turn, view.current.tilt, true);
      }
      return;
    }
    if (e.type === "pointermove" && !view.current.dragging) return;
    const [a, b] = state.axes, x = state.x.slice();
    const pick = (j: number, share: number) => {
      const [low, high] = spanOf(state.problem.parameters[j]), v = low + Math.max(0, Math.min(1, share)) * (high - low);
      return nearest(settable(state.problem.parameters[j]), v);
    };
    x[a] = pick(a, (e.clientX - box.left - 58) / (box.width - 70));
    x[b] = pick(b, (box.height - 42 - (e.clientY - box.top)) / (box.height - 54));
    const broken = state.broken(x);
    state.said = broken.length > 0 ? `${broken.join("; ")} forbids that` : "";
    if (broken.length === 0) state.go(x);
    else state.changed();
  };
  const choose = (i: 0 | 1) => (
    <select aria-label={i === 0 ? "across" : "upwards"} value={state.axes[i]} onChange={(e) => {
      state.axes[i] = Number(e.currentTarget.value);
      state.changed();
    }}>{state.problem.parameters.map((p, j) => <option value={j}>{p.label || p.parameter}</option>)}</select>
  );
  return (
    <div class="tab-body">
      <p class="bar">
        <select aria-label="response" value={state.response} onChange={(e) => { state.response = Number(e.currentTarget.value); state.changed(); }}>
          {state.scalars.map((k) => <option value={k}>{title(state.response_(k), state.response_(k).response)}</option>)}
        </select> over {choose(0)} and {choose(1)}
        <button onClick={() => { state.surface = !state.surface; state.changed(); }}>{state.surface ? "as a map" : "as a surface"}</button>
        <span class="quiet">{state.surface ? "drag to turn" : "click or drag to move; hatched: not acceptable; circles: runs, crosses: failed"}</span>
      </p>
      <canvas class="big" id="map" ref={canvas} tabIndex={0} role="img"
              aria-label={`${state.response_(state.response).response} over two parameters; move with the sliders`}
              onPointerDown={(e) => { view.current.dragging = true; e.currentTarget.setPointerCapture(e.pointerId); to(e); }}
              onPointerMove={to} onPointerUp={() => { view.current.dragging = false; state.changed(); }} />
    </div>
  );
}

export function CurveTab({ state }: { state: State }) {
  useState_(state);
  const canvas = useRef<HTMLCanvasElement>(null), which = useRef(0);
  const k = state.curves[which.current] ?? state.curves[0];
  useLayoutEffect(() => {
    const c = canvas.current, core = state.core;
    if (!c || !core || k === undefined) return;
    const { g, w, h } = begin(c), t = theme(), r = state.response_(k), axis = state.problem.axes.find((a) => a.name === r.along)!;
    const mine = state.answers.filter((_, i) => core.outputs[i].response === k), first = core.first[k];
    const sound = (v: number, none: number) => (Number.isFinite(v) ? v : none);
    const low = Math.min(...mine.map((m, q) => Math.min(state.extremes[first + q][0], sound(m.prediction[0], Infinity))));
    const high = Math.max(...mine.map((m, q) => Math.max(state.extremes[first + q][1], sound(m.prediction[1], -Infinity))));
    const xs: [number, number] = axis.points.length > 1 ? [axis.points[0], axis.points[axis.points.length - 1]] : [axis.points[0] - 1, axis.points[0] + 1];
    const f = frame(g, t, w, h - 22, xs, [low, high], axis.unit ? `${axis.name} [${axis.unit}]` : axis.name, title(r, r.response));
    const x = axis.points.map(f.x);
    g.save();
    g.beginPath();
    g.rect(f.left - 4, f.top - 4, f.right - f.left + 8, f.bottom - f.top + 8);
    g.clip();
    if (!state.provisional) {
      g.fillStyle = t.band + "88";
      area(g, x, mine.map((m) => f.y(m.prediction[0])), mine.map((m) => f.y(m.prediction[1])));
    }
    g.strokeStyle = t.quiet;
    for (const [name, at] of [["min", r.accept.min], ["max", r.accept.max]] as const)
      if (at !== null && name) {
        g.setLineDash([6, 4]);
        line(g, axis.points.map((v, q) => [f.x(v), f.y(Array.isArray(at) ? at[q] : at)]));
        g.setLineDash([]);
      }
    g.strokeStyle = t.main;
    g.lineWidth = 2;
    line(g, mine.map((m, q) => [x[q], f.y(m.mean)]));
    g.fillStyle = t.main;
    mine.forEach((m, q) => dot(g, x[q], f.y(m.mean), 3, true));
    g.restore();
    g.fillStyle = t.quiet;
    const along = state.data.trust.find((v) => v.response === r.response)?.along ?? [];
    along.forEach((a, q) => {
      if (a.q2 === null || x[q] === undefined) return;
      g.textAlign = q + 1 === x.length ? "right" : "center";
      g.fillText(`Q² ${a.q2.toFixed(2)}`, q + 1 === x.length ? w - 4 : x[q], h - 8);
    });
  });
  if (k === undefined) return <p class="quiet">The study has no curve that is predicted.</p>;
  return (
    <div class="tab-body">
      <p class="bar">{state.curves.length > 1 ? (
        <select aria-label="curve" onChange={(e) => { which.current = Number(e.currentTarget.value); state.changed(); }}>
          {state.curves.map((c, i) => <option value={i}>{state.response_(c).response}</option>)}
        </select>) : title(state.response_(k), state.response_(k).response)} <span class="quiet">band: where {Math.round(100 * state.core!.level)} % of runs lie at each point; below: how well each point is predicted</span></p>
      <canvas class="big" id="curve" ref={canvas} role="img" aria-label="the curve at this setting" />
    </div>
  );
}
