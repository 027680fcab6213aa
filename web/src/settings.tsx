// The settings: each parameter's control carries above its track what would happen if it moved.
import { useLayoutEffect, useRef } from "preact/hooks";
import { area, begin, digits, line, theme } from "./canvas";
import { useState_, type State } from "./state";
import { nearest, settable, spanOf, title } from "./study";
import { Typed } from "./typed";

const inset = 9; // half a thumb: so places above the track are those on it

/** Slices of the shown responses along one parameter, each between its extremes. */
function Strip({ state, j }: { state: State; j: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useState_(state);
  useLayoutEffect(() => {
    const c = canvas.current;
    const slice = state.slices[j], core = state.core;
    if (!c || !slice || !core) return;
    const { g, w, h } = begin(c), t = theme(), p = state.problem.parameters[j], [low, high] = spanOf(p);
    const n = core.outputs.length, s = state.shown.length, bottom = h - 7;
    const at = (v: number) => inset + ((v - low) / (high - low || 1)) * (w - 2 * inset);
    const steps = p.sort !== "continuous";
    // Under the slices where all is acceptable, and where a limit forbids it.
    slice.values.forEach((v, i) => {
      const from = i === 0 ? at(v) : (at(v) + at(slice.values[i - 1])) / 2;
      const to = i + 1 === slice.values.length ? at(v) : (at(v) + at(slice.values[i + 1])) / 2;
      const wide = steps ? 5 : 0;
      g.fillStyle = !slice.allowed[i] ? t.bad : state.acceptable(slice.means, i) ? t.good : t.grid;
      g.fillRect(steps ? at(v) - wide : from, h - 5, steps ? 2 * wide : Math.max(1, to - from), slice.allowed[i] ? 4 : 2);
    });
    if (slice.lines) {
      const [least, most] = state.extremes[core.first[state.shown[0]]];
      slice.lines.forEach((values, i) => {
        g.strokeStyle = g.fillStyle = t.series[i % 6];
        g.lineWidth = 1.8;
        g.setLineDash(i === 0 ? [] : i === 1 ? [6, 3] : [2, 3]);
        const at_: [number, number][] = slice.values.map((v, k) => [at(v), bottom - 3 - ((values[k] - least) / (most - least)) * (bottom - 8)]);
        if (!steps || p.sort === "levels") line(g, at_);
        if (steps) at_.forEach(([x, y]) => Number.isFinite(y) && g.fillRect(x - 3, y - 2, 6, 4));
      });
      g.setLineDash([]);
    }
    if (!slice.lines) state.shown.slice(0, state.by === null ? undefined : 1).forEach((k, which) => {
      const o = core.first[k], [least, most] = state.extremes[o];
      const y = (v: number) => bottom - 3 - ((v - least) / (most - least)) * (bottom - 8);
      const xs = slice.values.map(at), ys = slice.values.map((_, i) => y(slice.means[i * n + o]));
      const held = (v: number, i: number) => (slice.allowed[i] ? v : NaN);
      g.fillStyle = t.series[which % 6] + "2b";
      if (state.bands && slice.low && !steps)
        area(g, xs, slice.values.map((_, i) => y(slice.low![i * s + which])), slice.values.map((_, i) => y(slice.high![i * s + which])));
      g.strokeStyle = t.series[which % 6];
      g.lineWidth = 1.8;
      g.setLineDash(which === 0 ? [] : which === 1 ? [6, 3] : [2, 3]);
      if (!steps || p.sort === "levels") line(g, xs.map((x, i) => [x, held(ys[i], i)]));
      g.setLineDash([]);
      if (steps) {
        g.fillStyle = t.series[which % 6];
        xs.forEach((x, i) => slice.allowed[i] && g.fillRect(x - 3, ys[i] - 2, 6, 4));
      }
    });
    g.strokeStyle = t.ink;
    g.lineWidth = 1.2;
    line(g, [[at(state.x[j]), 2], [at(state.x[j]), h - 1]]);
  });
  return <canvas class="strip" ref={canvas} aria-hidden="true" />;
}

function Control({ state, j }: { state: State; j: number }) {
  useState_(state);
  const p = state.problem.parameters[j], values = settable(p), x = state.x[j];
  const [low, high] = spanOf(p);
  const name = p.label || p.parameter;
  const index = values.length > 0 ? values.indexOf(nearest(values, x)) : 0;
  const take = (text: string) => {
    const v = Number(text.replace(",", "."));
    if (!Number.isFinite(v)) {
      state.said = `${text} is no number`;
      return state.changed();
    }
    const inside = Math.min(high, Math.max(low, v));
    state.move(j, nearest(values, inside));
    if (v !== inside && !state.said) state.said = `${name} goes from ${low} to ${high}`;
  };
  return (
    <div class="control" data-parameter={p.parameter}>
      <div class="control-head">
        <label for={`p-${j}`}>{title(p, p.parameter)}</label>
        {p.sort === "choice" ? (
          <span class="choices" role="radiogroup" aria-label={name}>
            {p.choices!.map((c, i) => (
              <button role="radio" aria-checked={i === x} class={i === x ? "on" : ""} onClick={() => state.move(j, i)}>{c}</button>
            ))}
          </span>
        ) : (
          <Typed kind="value" label={`${name}, value`} value={Number(x.toPrecision(6)).toString()} take={take} />
        )}
      </div>
      <Strip state={state} j={j} />
      {p.sort === "choice" ? null : (
        <input id={`p-${j}`} type="range" aria-label={name} aria-valuetext={`${x} ${p.unit}`}
               min={values.length > 0 ? 0 : low} max={values.length > 0 ? values.length - 1 : high}
               step={values.length > 0 ? 1 : (high - low) / 400} value={values.length > 0 ? index : x}
               onInput={(e) => state.move(j, values.length > 0 ? values[Number(e.currentTarget.value)] : Number(e.currentTarget.value))} />
      )}
    </div>
  );
}

export function Settings({ state }: { state: State }) {
  useState_(state);
  return (
    <section class="settings" aria-label="Settings">
      <div class="legend">
        {state.by !== null && state.shown.length > 0 && <>
          <strong>{state.response_(state.shown[0]).label || state.response_(state.shown[0]).response}</strong>
          {state.valuesOfBy().map((v, i) => {
            const p = state.problem.parameters[state.by!];
            return <span class={`key series-${i + 1}`}>{p.sort === "choice" ? p.choices![v] : `${Number(v.toPrecision(4))} ${p.unit}`}</span>;
          })}
        </>}
        {state.by === null && state.shown.map((k, i) => (
          <span class={`key series-${(i % 6) + 1} dash-${i}`}>{state.response_(k).label || state.response_(k).response}</span>
        ))}
        <span class="key acceptable">acceptable</span>
        <label class="by">lines for values of <select id="by" aria-label="second parameter of the slices" value={state.by ?? -1} onChange={(e) => {
          const j = Number(e.currentTarget.value);
          state.by = j < 0 ? null : j;
          state.compute(true);
          state.changed();
        }}><option value={-1}>–</option>{state.problem.parameters.map((p, j) => <option value={j}>{p.label || p.parameter}</option>)}</select></label>
      </div>
      {state.problem.parameters.map((p, j) => <Control key={p.parameter} state={state} j={j} />)}
      {state.problem.fixed.length > 0 && (
        <p class="quiet">fixed: {state.problem.fixed.map((f) => `${f.label || f.parameter} ${f.value} ${f.unit}`).join(", ")}</p>
      )}
    </section>
  );
}

/** Where a value lies between the smallest and the largest over the region, and what is accepted. */
function Gauge({ state, k, value }: { state: State; k: number; value: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useLayoutEffect(() => {
    const c = canvas.current;
    if (!c) return;
    const { g, w, h } = begin(c), t = theme(), [low, high] = state.extremes[state.core!.first[k]], wish = state.wishes[k];
    const at = (v: number) => 4 + Math.max(0, Math.min(1, (v - low) / (high - low))) * (w - 8);
    g.fillStyle = t.grid;
    g.fillRect(4, h / 2 - 2, w - 8, 4);
    g.fillStyle = t.good;
    if (Number.isFinite(wish.low) || Number.isFinite(wish.high)) g.fillRect(at(wish.low), h / 2 - 2, Math.max(0, at(wish.high) - at(wish.low)), 4);
    g.fillStyle = t.main;
    g.beginPath();
    g.moveTo(at(value), h / 2 + 4);
    g.lineTo(at(value) - 5, h);
    g.lineTo(at(value) + 5, h);
    g.fill();
    g.fillRect(at(value) - 1, 1, 2, h - 3);
  });
  return <canvas class="gauge" ref={canvas} aria-hidden="true" />;
}

function Answer({ state, k }: { state: State; k: number }) {
  const core = state.core!, r = state.response_(k), mine = state.answers.filter((_, i) => core.outputs[i].response === k);
  const a = mine[0], trust = state.data.trust.find((t) => t.response === r.response), curve = r.along !== null;
  const wish = state.wishes[k], has = Number.isFinite(wish.low) || Number.isFinite(wish.high);
  const within = curve ? mine.every((m, q) => accepted(state, k, q, m.mean)) : a.mean >= wish.low && a.mean <= wish.high;
  const json = (f: (a: (typeof mine)[0]) => number) => (curve ? JSON.stringify(mine.map(f)) : String(f(a)));
  const best = mine.reduce((b, m, q) => (m.mean > mine[b].mean ? q : b), 0);
  const axis = state.problem.axes.find((x) => x.name === r.along);
  return (
    <article class={`answer ${state.provisional ? "provisional" : ""} ${trust && (trust.verdict === "unfit" || trust.verdict === "weak") ? "poor" : ""}`}
             data-response={r.response} data-mean={json((m) => m.mean)} data-low={json((m) => m.prediction[0])}
             data-high={json((m) => m.prediction[1])} data-inside={String(state.inside)} data-provisional={state.provisional ? "true" : undefined}>
      <h3>
        <label class="show"><input type="checkbox" checked={state.shown.includes(k)} disabled={curve} onChange={() => {
          state.shown = state.shown.includes(k) ? state.shown.filter((s) => s !== k) : [...state.shown, k].slice(-6);
          state.compute(true);
          state.changed();
        }} /> {r.label || r.response}</label>
        {state.order[0] !== k && <button class="first" aria-label={`show ${r.label || r.response} first`} title="show it first" onClick={() => state.first(k)}>⇤</button>}
      </h3>
      {curve ? (
        <p class="value">up to {digits(mine[best].mean, mine[best].sd)} <small>{r.unit} at {axis!.points[best]} {axis!.unit}</small></p>
      ) : (
        <p class="value">{digits(a.mean, a.sd)} <small>{r.unit}</small></p>
      )}
      {!curve && <p class="quiet" title={`where ${Math.round(100 * core.level)} % of runs lie`}>{Number.isFinite(a.prediction[0]) ? `${digits(a.prediction[0], a.sd)} … ${digits(a.prediction[1], a.sd)}` : "no error estimate"}</p>}
      {!curve && <Gauge state={state} k={k} value={a.mean} />}
      <p class="marks">
        {(has || (curve && state.isLimited(k))) && <span class={within ? "in" : "out"}>{within ? "acceptable" : "NOT acceptable"}</span>}
        {trust && <span class={`verdict ${trust.verdict}`} title={[...trust.reasons, ...trust.next].join(" ")}>{trust.verdict}</span>}
      </p>
    </article>
  );
}
function accepted(state: State, k: number, q: number, v: number) {
  const r = state.response_(k);
  const at = (b: number | number[] | null, none: number) => (b === null ? none : Array.isArray(b) ? b[q] : b);
  return v >= at(r.accept.min, -Infinity) && v <= at(r.accept.max, Infinity);
}

export function Answers({ state }: { state: State }) {
  useState_(state);
  if (!state.core)
    return <section class="answers"><p class="warning">Nothing is fitted yet: there is nothing to predict with. The runs are below. (renth fit)</p></section>;
  const broken = state.broken(state.x), desirability = state.overall(state.core.means(Float64Array.from(state.x)));
  const poor = state.data.trust.filter((t) => t.verdict === "unfit" || t.verdict === "weak");
  return (
    <section class="answers" aria-label="Answers" aria-live="polite">
      <div class="cards">{state.order.map((k) => <Answer key={k} state={state} k={k} />)}</div>
      <p class="standing">
        <span class={state.inside ? "in" : "out"}>{state.inside ? "inside what the runs cover" : "OUTSIDE what the runs cover: a guess"}</span>
        {broken.length > 0 && <span class="out">breaks {broken.join(", ")}</span>}
        {state.risk > 0.02 && <span class={state.risk > 0.25 ? "out" : "quiet"}>chance that the solver fails: {(100 * state.risk).toFixed(0)} %</span>}
        {desirability >= 0 && state.wishes.some((w) => w.aim !== "none") && <span>desirability {desirability.toFixed(3)}</span>}
        {state.said && <span class="said" role="status">{state.said}</span>}
      </p>
      {poor.length > 0 && <p class="warning">Hardly to be believed: {poor.map((t) => `${t.response} (${t.verdict}: ${t.reasons[0] ?? ""})`).join("; ")}</p>}
    </section>
  );
}
