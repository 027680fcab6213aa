// Both ends of each parameter's range by hand: what room is left, and what of it is in specification.
import noUiSlider, { type API } from "nouislider";
import { useEffect, useLayoutEffect, useRef, useState } from "preact/hooks";
import { begin, frame, dot, theme } from "./canvas";
import { useState_, type State } from "./state";
import { nearest, settable, spanOf, title } from "./study";

const samples = 4000;

/** The stored sample: settings over the whole region, and whether each is in specification. */
interface Sample {
  x: Float64Array;
  pass: boolean[];
  key: string;
}
let sample: Sample | null = null;
let fences: [number, number][] = [];
let pair: [number, number] = [0, 1];

function sampled(state: State): Sample {
  const key = JSON.stringify(state.wishes.map((w) => [w.low, w.high]));
  if (sample && sample.key === key) return sample;
  const core = state.core!, x = sample?.x ?? core.spread(samples, true), l = state.problem.limits.length;
  const pass: boolean[] = [];
  for (let from = 0; from < samples; from += 500) {
    const part = x.subarray(from * core.d, (from + 500) * core.d), means = core.means(part), margins = l > 0 ? core.margins(part) : null;
    for (let i = 0; i < 500; ++i)
      pass.push(state.acceptable(means, i) && state.holds(margins, i));
  }
  return (sample = { x, pass, key });
}

function Pair({ state, j }: { state: State; j: number }) {
  const host = useRef<HTMLDivElement>(null), api = useRef<API | null>(null);
  const p = state.problem.parameters[j], [low, high] = spanOf(p), values = settable(p);
  useEffect(() => {
    const element = host.current!;
    api.current = noUiSlider.create(element, {
      start: fences[j], connect: true, range: { min: low, max: high }, keyboardDefaultStep: 20,
      handleAttributes: [{ "aria-label": `${p.label || p.parameter}, low end` }, { "aria-label": `${p.label || p.parameter}, high end` }],
    });
    api.current.on("slide", (v) => {
      fences[j] = [nearest(values, Number(v[0])), nearest(values, Number(v[1]))];
      state.changed();
    });
    return () => api.current?.destroy();
  }, []);
  useEffect(() => {
    const now = api.current?.get() as (string | number)[] | undefined;
    if (now && (Math.abs(Number(now[0]) - fences[j][0]) > 1e-9 * (high - low) || Math.abs(Number(now[1]) - fences[j][1]) > 1e-9 * (high - low))) api.current!.set(fences[j]);
  });
  return <div ref={host} class="pair" />;
}

export function FencesTab({ state }: { state: State }) {
  useState_(state);
  const canvas = useRef<HTMLCanvasElement>(null);
  const numbers = state.problem.parameters.map((p, j) => ({ p, j })).filter(({ p }) => p.sort !== "choice");
  if (fences.length === 0) {
    fences = state.problem.parameters.map((p) => spanOf(p));
    pair = [numbers[0]?.j ?? 0, numbers[1]?.j ?? numbers[0]?.j ?? 0];
  }
  const ready = state.core && numbers.length > 0;
  const s = ready ? sampled(state) : null, d = state.core?.d ?? 0;
  const inside = (i: number, skip = -1) => numbers.every(({ j }) => j === skip || (s!.x[i * d + j] >= fences[j][0] - 1e-12 && s!.x[i * d + j] <= fences[j][1] + 1e-12));
  // Choices are held at the setting.
  const held = (i: number) => state.problem.parameters.every((p, j) => p.sort !== "choice" || s!.x[i * d + j] === state.x[j]);
  let all = 0, left = 0, good = 0, everywhere = 0;
  const sides = numbers.map(({ j }) => ({ j, low: 0, lowGood: 0, high: 0, highGood: 0 }));
  for (let i = 0; s && i < samples; ++i) {
    if (!held(i)) continue;
    ++all;
    if (s.pass[i]) ++everywhere;
    if (inside(i)) {
      ++left;
      if (s.pass[i]) ++good;
    }
    // What a side keeps out: points within all other ends.
    sides.forEach((side) => {
      const v = s.x[i * d + side.j];
      if (inside(i) || !inside(i, side.j)) return;
      if (v < fences[side.j][0]) {
        ++side.low;
        if (s.pass[i]) ++side.lowGood;
      } else {
        ++side.high;
        if (s.pass[i]) ++side.highGood;
      }
    });
  }
  useLayoutEffect(() => {
    const c = canvas.current;
    if (!c || !s) return;
    const { g, w, h } = begin(c), t = theme(), [a, b] = pair, pa = state.problem.parameters[a], pb = state.problem.parameters[b];
    const f = frame(g, t, w, h, spanOf(pa), spanOf(pb), title(pa, pa.parameter), title(pb, pb.parameter));
    let drawn = 0;
    for (let i = 0; i < samples && drawn < 1500; ++i) {
      if (!held(i) || !numbers.every(({ j }) => j === a || j === b || (s.x[i * d + j] >= fences[j][0] && s.x[i * d + j] <= fences[j][1]))) continue;
      ++drawn;
      g.strokeStyle = t.quiet;
      g.fillStyle = t.main;
      g.lineWidth = 0.8;
      dot(g, f.x(s.x[i * d + a]), f.y(s.x[i * d + b]), s.pass[i] ? 2.6 : 1.6, s.pass[i]);
    }
    g.strokeStyle = t.accent;
    g.lineWidth = 2;
    g.strokeRect(f.x(fences[a][0]), f.y(fences[b][1]), f.x(fences[a][1]) - f.x(fences[a][0]), f.y(fences[b][0]) - f.y(fences[b][1]));
  });
  if (!ready) return <p class="quiet">Fences need something that is fitted.</p>;
  const share = (n: number, of: number) => (of > 0 ? `${((100 * n) / of).toFixed(1)} %` : "–");
  const scatters = state.problem.parameters.some((p) => p.scatter.shape !== "none");
  const names = (i: 0 | 1) => (
    <select aria-label={i === 0 ? "across" : "upwards"} value={pair[i]} onChange={(e) => { pair[i] = Number(e.currentTarget.value); state.changed(); }}>
      {numbers.map(({ p, j }) => <option value={j}>{p.label || p.parameter}</option>)}
    </select>
  );
  return (
    <div class="tab-body fences">
      <p class="standing" id="fences-now" data-left={left / Math.max(1, all)} data-within={left > 0 ? good / left : ""}>
        <strong>{share(left, all)}</strong> of the room is left; <strong>{share(good, left)}</strong> of it is in specification{left > 0 && left < 100 ? ` (of ${left} settings only)` : ""}. Without fences {share(everywhere, all)}.
      </p>
      <p class="bar">
        <button onClick={() => { fences = state.problem.parameters.map((p) => spanOf(p)); state.changed(); }}>All open</button>
        {state.data.windows.map((win) => (
          <button onClick={() => {
            state.problem.parameters.forEach((p, j) => { if (win.span[p.parameter]) fences[j] = win.span[p.parameter]; });
            state.changed();
          }}>window {win.name}</button>
        ))}
        {names(0)} against {names(1)}
        {state.served && <KeepWindow state={state} />}
      </p>
      <div class="columns">
        <table class="ends"><tbody>
          {numbers.map(({ p, j }, i) => (
            <tr>
              <th scope="row">{p.label || p.parameter}</th>
              <td><Pair state={state} j={j} /><span class="quiet">{Number(fences[j][0].toPrecision(4))} … {Number(fences[j][1].toPrecision(4))} {p.unit}</span></td>
              <td class="quiet">{sides[i].low > 0 && `below: ${share(sides[i].lowGood, sides[i].low)} of what is kept out is good`}{sides[i].low > 0 && sides[i].high > 0 && <br />}{sides[i].high > 0 && `above: ${share(sides[i].highGood, sides[i].high)} good`}</td>
            </tr>
          ))}
        </tbody></table>
        <canvas class="big" ref={canvas} role="img" aria-label="settings in and out of specification over two parameters" />
      </div>
      {scatters && <Yield state={state} />}
    </div>
  );
}

/** What the setting becomes in production: the yield, and each response's distribution. */
function Yield({ state }: { state: State }) {
  const canvas = useRef<HTMLCanvasElement>(null), core = state.core!, m = state.provisional ? 300 : 2000;
  const x = core.drift(state.x, m), y = core.means(x), n = core.outputs.length;
  let good = 0;
  for (let i = 0; i < m; ++i) good += state.acceptable(y, i) ? 1 : 0;
  const shown = state.shown.slice(0, 4);
  useLayoutEffect(() => {
    const c = canvas.current;
    if (!c) return;
    const { g, w, h } = begin(c), t = theme(), wide = w / Math.max(1, shown.length);
    shown.forEach((k, which) => {
      const values = Array.from({ length: m }, (_, i) => y[i * n + core.first[k]]).filter(Number.isFinite);
      const low = Math.min(...values), high = Math.max(...values), bins = new Array(24).fill(0);
      for (const v of values) ++bins[Math.min(23, Math.floor(((v - low) / (high - low || 1)) * 24))];
      const most = Math.max(...bins), left = which * wide + 10, span = wide - 20;
      bins.forEach((b, i) => {
        const middle = low + ((i + 0.5) / 24) * (high - low);
        g.fillStyle = middle >= state.wishes[k].low && middle <= state.wishes[k].high ? t.series[which % 6] : t.accent + "88";
        g.fillRect(left + (i / 24) * span, h - 20 - ((h - 40) * b) / most, span / 24 - 1, ((h - 40) * b) / most);
      });
      g.fillStyle = t.ink;
      g.textAlign = "left";
      g.fillText(`${low.toPrecision(4)}`, left, h - 6);
      g.textAlign = "right";
      g.fillText(`${high.toPrecision(4)}`, left + span, h - 6);
      g.textAlign = "center";
      g.fillText(title(state.response_(k), state.response_(k).response), left + span / 2, 12, span);
    });
  });
  return (
    <div>
      <p class="standing" id="yield-now" data-yield={good / m}>In production at this setting: <strong>{((100 * good) / m).toFixed(1)} %</strong> in specification <span class="quiet">({m} draws by the means; renth tolerance gives its interval)</span></p>
      <canvas class="histograms" ref={canvas} role="img" aria-label="distributions of the responses in production" />
    </div>
  );
}

/** The fences as an operating window of the study. */
function KeepWindow({ state }: { state: State }) {
  const [name, setName] = useState("from_page");
  const keep = () => {
    const span: Record<string, [number, number]> = {};
    state.problem.parameters.forEach((p, j) => p.sort !== "choice" && (span[p.parameter] = fences[j]));
    void state.served!.window(name.trim(), span);
  };
  return <span><input class="name" aria-label="name of the window" value={name} onInput={(e) => setName(e.currentTarget.value)} /> <button id="keep-window" onClick={keep}>keep as a window</button></span>;
}
