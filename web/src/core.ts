// renth::predict in the page: points go in row by row, answers come out.
import type { PageData, Point, Problem } from "./study";
import { numbersOf, pointOf } from "./study";

interface Wasm {
  HEAPF64: Float64Array;
  HEAP32: Int32Array;
  HEAPU8: Uint8Array;
  _malloc(n: number): number;
  _free(p: number): void;
  UTF8ToString(p: number): string;
  _renth_failure(): number;
  _renth_load(text: number, size: number): number;
  _renth_outputs(): number;
  _renth_has(k: number): number;
  _renth_means(x: number, m: number, out: number): number;
  _renth_predict(x: number, m: number, level: number, calibrated: number, out: number, inside: number): number;
  _renth_deviations(x: number, m: number, which: number, n: number, level: number, low: number, high: number): number;
  _renth_margins(x: number, m: number, out: number): number;
  _renth_risk(x: number, m: number, out: number): number;
  _renth_spread(m: number, settable: number, out: number): number;
  _renth_drift(x: number, m: number, out: number): number;
}
declare global {
  interface Window {
    Core: (options: { wasmBinary: Uint8Array }) => Promise<Wasm>;
    renth: { predict(point: Point): unknown; ready: boolean };
  }
}

/** What was packed by gzip and base64. */
async function unpacked(text: string): Promise<Uint8Array> {
  const packed = atob(text), bytes = new Uint8Array(packed.length);
  for (let i = 0; i < packed.length; ++i) bytes[i] = packed.charCodeAt(i);
  return new Uint8Array(await new Response(new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"))).arrayBuffer());
}

/** One output of a response: its number, and the axis point of a curve. */
export interface Output {
  response: number;
  q: number;
}
export interface Answer {
  mean: number;
  sd: number;
  confidence: [number, number];
  prediction: [number, number];
  calibrated: [number, number];
}

export class Core {
  readonly d: number;
  readonly outputs: Output[] = [];
  /** The first output of each response; −1: not predicted. */
  readonly first: number[] = [];
  private constructor(private w: Wasm, readonly problem: Problem, readonly level: number) {
    this.d = problem.parameters.length;
  }

  static async start(data: PageData): Promise<Core | null> {
    const text = document.getElementById("core")?.textContent ?? "";
    if (!data.model || !text.trim()) return null;
    const [wasm, model] = await Promise.all([unpacked(text.trim()), unpacked(data.model)]);
    const core = new Core(await window.Core({ wasmBinary: wasm }), data.problem, data.level);
    core.load(model);
    return core;
  }

  private load(bytes: Uint8Array) {
    const at = this.w._malloc(bytes.length);
    this.w.HEAPU8.set(bytes, at);
    this.check(this.w._renth_load(at, bytes.length));
    this.w._free(at);
    this.problem.responses.forEach((r, k) => {
      this.first.push(this.w._renth_has(k) ? this.outputs.length : -1);
      if (!this.w._renth_has(k)) return;
      const n = r.along ? this.problem.axes.find((a) => a.name === r.along)!.points.length : 1;
      for (let q = 0; q < n; ++q) this.outputs.push({ response: k, q });
    });
  }
  private check(status: number) {
    if (status !== 0) throw new Error(this.w.UTF8ToString(this.w._renth_failure()));
  }
  /** Numbers for a call: points in, `n` numbers out. */
  private call(x: Float64Array, n: number, body: (x: number, out: number) => number): Float64Array {
    const from = this.w._malloc(8 * x.length), to = this.w._malloc(8 * n);
    this.w.HEAPF64.set(x, from >> 3);
    const status = body(from, to);
    const out = this.w.HEAPF64.slice(to >> 3, (to >> 3) + n);
    this.w._free(from);
    this.w._free(to);
    this.check(status);
    return out;
  }

  has(response: number) {
    return this.first[response] >= 0;
  }
  means(x: Float64Array): Float64Array {
    const m = x.length / this.d;
    return this.call(x, m * this.outputs.length, (a, b) => this.w._renth_means(a, m, b));
  }
  margins(x: Float64Array): Float64Array {
    const m = x.length / this.d;
    return this.call(x, m * this.problem.limits.length, (a, b) => this.w._renth_margins(a, m, b));
  }
  risk(x: Float64Array): Float64Array {
    const m = x.length / this.d;
    return this.call(x, m, (a, b) => this.w._renth_risk(a, m, b));
  }
  spread(m: number, settable: boolean): Float64Array {
    return this.call(new Float64Array(0), m * this.d, (_, b) => this.w._renth_spread(m, settable ? 1 : 0, b));
  }
  drift(setting: number[], m: number): Float64Array {
    return this.call(Float64Array.from(setting), m * this.d, (a, b) => this.w._renth_drift(a, m, b));
  }
  /** Bounds of the mean of scalar responses. */
  band(x: Float64Array, responses: number[]): { low: Float64Array; high: Float64Array } {
    const m = x.length / this.d, n = responses.length;
    const which = this.w._malloc(4 * n);
    this.w.HEAP32.set(responses, which >> 2);
    const both = this.call(x, 2 * m * n, (a, b) =>
      this.w._renth_deviations(a, m, which, n, this.level, b, b + 8 * m * n));
    this.w._free(which);
    return { low: both.slice(0, m * n), high: both.slice(m * n) };
  }
  /** All that is known of one setting: an answer an output. */
  answers(setting: number[], calibrated: boolean): { of: Answer[]; inside: boolean } {
    const n = this.outputs.length, flag = this.w._malloc(4);
    const v = this.call(Float64Array.from(setting), 8 * n, (a, b) =>
      this.w._renth_predict(a, 1, this.level, calibrated ? 1 : 0, b, flag));
    const inside = this.w.HEAP32[flag >> 2] !== 0;
    this.w._free(flag);
    const of: Answer[] = [];
    for (let i = 0; i < n; ++i) {
      const a = v.subarray(8 * i, 8 * i + 8);
      of.push({ mean: a[0], sd: a[1], confidence: [a[2], a[3]], prediction: [a[4], a[5]], calibrated: [a[6], a[7]] });
    }
    return { of, inside };
  }
  /** What `renth predict --json` holds of one setting. */
  predict(point: Point) {
    const x = numbersOf(this.problem, point);
    const { of, inside } = this.answers(x, true);
    const finite = (v: number) => (Number.isFinite(v) ? v : null);
    const pair = (v: [number, number]) => (Number.isFinite(v[0]) ? v : null);
    const responses: Record<string, unknown> = {};
    this.problem.responses.forEach((r, k) => {
      if (!this.has(k)) return;
      const mine = of.filter((_, i) => this.outputs[i].response === k);
      const each = <T>(f: (a: Answer) => T) => (r.along ? mine.map(f) : f(mine[0]));
      responses[r.response] = {
        mean: each((a) => finite(a.mean)), sd: each((a) => finite(a.sd)), confidence: each((a) => pair(a.confidence)),
        prediction: each((a) => pair(a.prediction)), calibrated: each((a) => pair(a.calibrated)), inside,
      };
    });
    const risk = this.risk(Float64Array.from(x))[0];
    return { point: pointOf(this.problem, x), responses, ...(risk >= 0 ? { failure_risk: risk } : {}) };
  }
}
