// Everything that the page knows at a moment, and who is told when it changes.
import { useEffect, useReducer } from "preact/hooks";
import type { Core, Answer } from "./core";
import { newRuns, Served } from "./served";
import { bounds, numbersOf, pointOf, settable, spanOf, type PageData, type Problem, type Response } from "./study";

export interface Wish {
  aim: "none" | "maximise" | "minimise" | "target";
  target: number;
  weight: number;
  low: number;
  high: number;
}
export interface Kept {
  name: string;
  x: number[];
}
export type Tab = "map" | "curve" | "front" | "wishes" | "fences" | "runs" | "quality" | "compare";

/** Means along each parameter through the setting. */
export interface Slice {
  values: number[];
  points: Float64Array;
  means: Float64Array;
  allowed: boolean[];
  /** Means of the first response shown, a line a value of the second parameter. */
  lines?: Float64Array[];
  low?: Float64Array;
  high?: Float64Array;
}

export class State {
  readonly problem: Problem;
  x: number[];
  /** Of responses that are numbers and predicted. */
  readonly scalars: number[];
  readonly curves: number[];
  shown: number[];
  /** All that is predicted, in the order of the answers. */
  order: number[];
  bands = true;
  /** A second parameter, for several of whose values slices are shown. */
  by: number | null = null;
  tab: Tab = "map";
  axes: [number, number] = [0, 1];
  response = 0;
  surface = false;
  wishes: Wish[];
  kept: Kept[] = [];
  said = "";
  provisional = true;
  answers: Answer[] = [];
  inside = true;
  risk = -1;
  slices: Slice[] = [];
  extremes: [number, number][] = [];
  hovered: number | null = null;
  /** Runs that came while the page was open. */
  fresh: number[] = [];
  /** Only of a page that is served. */
  served: Served | null = null;
  private listeners = new Set<() => void>();
  private frameAsked = false;
  private rest = 0;

  constructor(readonly data: PageData, readonly core: Core | null) {
    this.problem = data.problem;
    const all = this.problem.responses.map((_, k) => k).filter((k) => core?.has(k));
    this.scalars = all.filter((k) => !this.problem.responses[k].along);
    this.curves = all.filter((k) => this.problem.responses[k].along);
    this.order = [...this.scalars, ...this.curves];
    const wanted = this.scalars.filter((k) => this.problem.responses[k].goal || this.isLimited(k));
    this.shown = (wanted.length > 0 ? wanted : this.scalars).slice(0, 3);
    this.response = this.shown[0] ?? 0;
    this.wishes = this.problem.responses.map((r) => ({
      aim: r.goal ?? "none", target: r.target, weight: r.weight, low: bounds(r)[0], high: bounds(r)[1],
    }));
    const between = this.problem.parameters.map((p, j) => ({ p, j })).filter(({ p }) => p.sort === "continuous");
    const ranked = data.rank.find((r) => r.response === this.problem.responses[this.response]?.response)?.parameters ?? [];
    const order = ranked.map((s) => between.find(({ p }) => p.parameter === s.parameter)?.j).filter((j) => j !== undefined);
    for (const { j } of between) if (!order.includes(j)) order.push(j);
    for (let j = 0; j < this.problem.parameters.length; ++j) if (!order.includes(j)) order.push(j);
    this.axes = [order[0], order[1] ?? order[0]];
    this.x = data.proposals.length > 0 ? numbersOf(this.problem, data.proposals[0].point) : this.problem.parameters.map((p) => p.nominal);
    const view = data.view;
    if (view) {
      this.tab = (view.tab === "surface" || view.tab === "slices" ? "map" : view.tab) as Tab;
      this.surface = view.tab === "surface";
      const k = this.problem.responses.findIndex((r) => r.response === view.response);
      if (this.scalars.includes(k)) {
        this.response = k;
        this.shown = [k, ...this.shown.filter((s) => s !== k)].slice(0, 3);
      }
      const j = (name: string, none: number) => {
        const found = this.problem.parameters.findIndex((p) => p.parameter === name);
        return found >= 0 ? found : none;
      };
      this.axes = [j(view.x, this.axes[0]), j(view.y, this.axes[1])];
      this.by = view.by ? j(view.by, -1) : null;
      if (view.at) this.x = numbersOf(this.problem, view.at);
    }
    this.fromAddress();
    this.kept = data.marks.map((m) => ({ name: m.name, x: numbersOf(this.problem, m.point) }));
    if (core) this.lookRound();
    this.compute(true);
    if (data.served) this.served = new Served(this);
  }
  /** An answer before all others. */
  first(k: number) {
    this.order = [k, ...this.order.filter((o) => o !== k)];
    if (this.shown.includes(k)) this.shown = [k, ...this.shown.filter((s) => s !== k)];
    this.compute(true);
    this.changed();
  }
  /** What the study holds now, of the same surrogates. */
  renew(now: PageData) {
    this.fresh = [...this.fresh, ...newRuns(this.data.runs, now.runs)];
    const gone = this.data.marks.filter((m) => !now.marks.some((n) => n.name === m.name)).map((m) => m.name);
    for (const part of ["runs", "marks", "windows", "proposals", "front", "near_best", "rank", "trust", "notes"] as const)
      (this.data as unknown as Record<string, unknown>)[part] = now[part];
    this.kept = this.kept.filter((k) => !gone.includes(k.name));
    for (const m of now.marks) {
      const x = numbersOf(this.problem, m.point), known = this.kept.find((k) => k.name === m.name);
      if (known) known.x = x;
      else this.kept.push({ name: m.name, x });
    }
    this.changed();
  }
  isMark(k: Kept) {
    return this.data.marks.some((m) => m.name === k.name);
  }

  isLimited(k: number) {
    const r = this.problem.responses[k];
    return r.accept.min !== null || r.accept.max !== null;
  }
  response_(k: number): Response {
    return this.problem.responses[k];
  }
  listen(f: () => void) {
    this.listeners.add(f);
    return () => this.listeners.delete(f);
  }
  changed() {
    if (this.frameAsked) return;
    this.frameAsked = true;
    requestAnimationFrame(() => {
      this.frameAsked = false;
      this.listeners.forEach((f) => f());
    });
  }

  /** Smallest and largest of each output over the region, for the places of answers and slices. */
  private lookRound() {
    const core = this.core!, m = 1024, x = core.spread(m, true), y = core.means(x), n = core.outputs.length;
    const allowed = this.problem.limits.length > 0 ? core.margins(x) : null;
    for (let o = 0; o < n; ++o) {
      let low = Infinity, high = -Infinity;
      for (let i = 0; i < m; ++i) {
        if (!this.holds(allowed, i)) continue;
        const v = y[i * n + o];
        if (v < low) low = v;
        if (v > high) high = v;
      }
      const known = this.data.extremes[this.problem.responses[core.outputs[o].response].response];
      this.extremes.push(known ?? (low < high ? [low, high] : [low - 1, low + 1]));
    }
  }

  /** Do all limits hold at one point of those whose margins are given? null: there are no limits. */
  holds(margins: Float64Array | null, i: number) {
    const l = this.problem.limits.length;
    return !margins || margins.subarray(i * l, (i + 1) * l).every((m) => m >= 0);
  }
  /** The largest move towards a value along one parameter that no limit forbids. */
  move(j: number, value: number) {
    const to = this.x.slice();
    to[j] = value;
    if (this.core && this.problem.limits.length > 0 && this.allowed(this.x)) {
      const broken = this.broken(to);
      if (broken.length > 0) {
        this.said = `${broken.join("; ")}: as far as this limit lets it`;
        to[j] = this.lastAllowed(j, value);
      } else {
        this.said = "";
      }
    }
    this.go(to);
  }
  private lastAllowed(j: number, value: number): number {
    const p = this.problem.parameters[j], values = settable(p), try_ = (v: number) => this.allowed(this.x.map((w, i) => (i === j ? v : w)));
    if (values.length > 0) {
      let best = this.x[j];
      for (const v of values)
        if ((v - this.x[j]) * (value - v) >= 0 && try_(v) && Math.abs(v - value) < Math.abs(best - value)) best = v;
      return best;
    }
    let good = this.x[j], bad = value;
    for (let i = 0; i < 40; ++i) {
      const middle = (good + bad) / 2;
      if (try_(middle)) good = middle;
      else bad = middle;
    }
    return good;
  }
  broken(x: number[]): string[] {
    if (!this.core || this.problem.limits.length === 0) return [];
    const m = this.core.margins(Float64Array.from(x));
    return this.problem.limits.filter((_, i) => !(m[i] >= 0));
  }
  allowed(x: number[]) {
    return this.broken(x).length === 0;
  }
  /** To a setting, as it is. */
  go(x: number[]) {
    this.x = x;
    this.provisional = true;
    if (this.frameAsked) return; // the newest counts
    this.frameAsked = true;
    requestAnimationFrame(() => {
      this.frameAsked = false;
      this.compute(false);
      this.listeners.forEach((f) => f());
      clearTimeout(this.rest);
      this.rest = window.setTimeout(() => {
        this.compute(true);
        this.listeners.forEach((f) => f());
      }, 100);
    });
  }
  jump(point: Record<string, number | string>) {
    this.said = "";
    this.go(numbersOf(this.problem, point));
  }

  /** \param whole  with deviations and calibrated bounds. */
  compute(whole: boolean) {
    const core = this.core;
    if (!core) return;
    const { of, inside } = core.answers(this.x, whole);
    this.answers = of;
    this.inside = inside;
    this.risk = core.risk(Float64Array.from(this.x))[0];
    const n = core.outputs.length, d = core.d, l = this.problem.limits.length;
    const plan = this.problem.parameters.map((p) => {
      const values = settable(p), [low, high] = spanOf(p);
      return values.length > 0 && values.length <= 60 ? values : Array.from({ length: 41 }, (_, i) => low + ((high - low) * i) / 40);
    });
    const total = plan.reduce((s, v) => s + v.length, 0), points = new Float64Array(total * d);
    let row = 0;
    plan.forEach((values, j) => values.forEach((v) => {
      points.set(this.x, row * d);
      points[row * d + j] = v;
      ++row;
    }));
    const means = core.means(points), margins = l > 0 ? core.margins(points) : null;
    const lines = this.by === null || this.shown.length === 0 ? [] : this.valuesOfBy().map((v) => {
      const there = points.slice();
      for (let i = 0; i < total; ++i) there[i * d + this.by!] = v;
      const y = core.means(there), held = l > 0 ? core.margins(there) : null;
      for (let i = 0; held && i < total; ++i)
        if (!this.holds(held, i)) y.fill(NaN, i * n, (i + 1) * n);
      return y;
    });
    const band = whole && this.bands && this.by === null && this.shown.length > 0 ? core.band(points, this.shown) : null;
    row = 0;
    const before = this.slices;
    this.slices = plan.map((values, j) => {
      const from = row, to = row + values.length, s = this.shown.length;
      row = to;
      const slice: Slice = {
        values, points: points.subarray(from * d, to * d), means: means.subarray(from * n, to * n),
        allowed: values.map((_, i) => this.holds(margins, from + i)),
      };
      if (lines.length > 0 && j !== this.by) slice.lines = lines.map((y) => Float64Array.from(values, (_, i) => y[(from + i) * n + core.first[this.shown[0]]]));
      if (band) {
        slice.low = band.low.subarray(from * s, to * s);
        slice.high = band.high.subarray(from * s, to * s);
      } else if (!whole && this.bands && this.by === null && before[j]?.low && before[j].low!.length === values.length * s) {
        // Bands keep their last width while something moves.
        const was = before[j], o = this.shown.map((k) => core.first[k]);
        slice.low = new Float64Array(values.length * s);
        slice.high = new Float64Array(values.length * s);
        for (let i = 0; i < values.length; ++i)
          for (let k = 0; k < s; ++k) {
            const shift = slice.means[i * n + o[k]] - was.means[i * n + o[k]];
            slice.low[i * s + k] = was.low![i * s + k] + shift;
            slice.high[i * s + k] = was.high![i * s + k] + shift;
          }
      }
      return slice;
    });
    this.provisional = !whole;
  }

  /** The values of the second parameter that lines stand for. */
  valuesOfBy(): number[] {
    const p = this.problem.parameters[this.by!], values = settable(p), [low, high] = spanOf(p);
    if (values.length === 0) return [low, (low + high) / 2, high];
    return values.length <= 4 ? values : [values[0], values[Math.floor(values.length / 2)], values[values.length - 1]];
  }

  /** Is every limited response acceptable, of a row of means? */
  acceptable(means: Float64Array, row: number): boolean {
    const core = this.core!, n = core.outputs.length;
    for (let o = 0; o < n; ++o) {
      const { response, q } = core.outputs[o];
      const r = this.problem.responses[response];
      const [low, high] = r.along ? bounds(r, q) : [this.wishes[response].low, this.wishes[response].high];
      const v = means[row * n + o];
      if (!(v >= low && v <= high)) return false;
    }
    return true;
  }
  /** From 0 at the limit (else the worse extreme) to 1. */
  desirability(k: number, value: number): number {
    const w = this.wishes[k], [low, high] = this.extremes[this.core!.first[k]];
    const from = (a: number, b: number) => Math.max(0, Math.min(1, (value - a) / (b - a)));
    if (w.aim === "maximise") return from(Number.isFinite(w.low) ? w.low : low, high);
    if (w.aim === "minimise") return from(Number.isFinite(w.high) ? w.high : high, low);
    const width = (high - low) / 2;
    return value < w.target ? from(Number.isFinite(w.low) ? w.low : Math.min(low, w.target - width), w.target)
                            : from(Number.isFinite(w.high) ? w.high : Math.max(high, w.target + width), w.target);
  }
  /** The weighted geometric mean; below 0 where something is not acceptable, by how far. */
  overall(means: Float64Array, row = 0): number {
    const core = this.core!, n = core.outputs.length;
    let log = 0, weight = 0, outside = 0;
    for (const k of this.scalars) {
      const v = means[row * n + core.first[k]], w = this.wishes[k], [low, high] = this.extremes[core.first[k]];
      if (v < w.low) outside += (w.low - v) / (high - low);
      if (v > w.high) outside += (v - w.high) / (high - low);
      if (w.aim === "none") continue;
      log += w.weight * Math.log(Math.max(1e-9, this.desirability(k, v)));
      weight += w.weight;
    }
    return outside > 0 ? -outside : weight > 0 ? Math.exp(log / weight) : 1;
  }
  /** Better from here: up the slope of the wishes, within spans, limits and what can be set. */
  climb() {
    const core = this.core!;
    const value = (x: number[]) => (this.allowed(x) ? this.overall(core.means(Float64Array.from(x))) : -Infinity);
    let x = this.x.slice(), best = value(x), step = 0.1;
    for (let round = 0; round < 60 && step > 1e-4; ++round) {
      let moved = false;
      this.problem.parameters.forEach((p, j) => {
        const [low, high] = spanOf(p), values = settable(p);
        const next = values.length > 0
          ? [values[values.indexOf(x[j]) - 1], values[values.indexOf(x[j]) + 1]].filter((v) => v !== undefined)
          : [Math.max(low, x[j] - step * (high - low)), Math.min(high, x[j] + step * (high - low))];
        for (const v of p.sort === "choice" ? values : next) {
          const tried = x.map((w, i) => (i === j ? v : w)), there = value(tried);
          if (there > best + 1e-9) {
            best = there;
            x = tried;
            moved = true;
          }
        }
      });
      if (!moved) step /= 2;
    }
    this.said = best > 0 ? `the best from here has a desirability of ${best.toFixed(3)}` : "nothing near here holds every limit";
    this.go(x);
  }

  keep(name: string) {
    let free = this.kept.length + 1;
    while (this.kept.some((k) => k.name === `setting_${free}`)) ++free;
    const kept = { name: name || `setting_${free}`, x: this.x.slice() };
    this.kept.push(kept);
    if (this.served) void this.served.mark(kept.name, pointOf(this.problem, kept.x));
    this.changed();
  }
  rename(kept: Kept, name: string) {
    const was = kept.name, mark = this.isMark(kept);
    if (!name || name === was || this.kept.some((k) => k !== kept && k.name === name)) return this.changed();
    kept.name = name;
    if (this.served)
      void this.served.mark(name, pointOf(this.problem, kept.x)).then((done) => {
        if (done && mark) void this.served!.forget(was);
      });
    this.changed();
  }
  forget(kept: Kept) {
    this.kept = this.kept.filter((k) => k !== kept);
    if (this.served && this.isMark(kept)) void this.served.forget(kept.name);
    this.changed();
  }
  /** The setting in the address, so that a link leads to it. */
  toAddress() {
    const point = pointOf(this.problem, this.x);
    const words = this.problem.parameters.map((p) => `${p.parameter}=${point[p.parameter]}`).join("&");
    history.replaceState(null, "", `#${words}`);
  }
  private fromAddress() {
    const words = decodeURIComponent(location.hash.slice(1));
    if (!words.includes("=")) return;
    const point: Record<string, string | number> = {};
    for (const pair of words.split("&")) {
      const [name, ...value] = pair.split("=");
      point[name] = value.join("=");
    }
    const x = numbersOf(this.problem, point);
    if (x.every(Number.isFinite)) this.x = x;
  }
}

/** Draws a component again whenever the state has changed. */
export function useState_(state: State) {
  const [, again] = useReducer((n: number) => n + 1, 0);
  useEffect(() => {
    const off = state.listen(() => again(0));
    return () => void off();
  }, [state]);
}
