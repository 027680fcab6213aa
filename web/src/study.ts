// What the page carries of a study: the shapes of its JSON.
export interface Parameter {
  parameter: string;
  label: string;
  unit: string;
  sort: "continuous" | "levels" | "choice";
  span?: [number, number];
  step?: number;
  values?: number[];
  choices?: string[];
  nominal: number;
  scatter: { shape: string };
}
export interface Response {
  response: string;
  label: string;
  unit: string;
  goal: "maximise" | "minimise" | "target" | null;
  target: number;
  weight: number;
  accept: { min: number | number[] | null; max: number | number[] | null };
  along: string | null;
}
export interface Problem {
  name: string;
  parameters: Parameter[];
  fixed: { parameter: string; label: string; unit: string; value: number | string }[];
  limits: string[];
  axes: { name: string; unit: string; points: number[] }[];
  responses: Response[];
}
export type Point = Record<string, number | string>;
export interface Run {
  id: number;
  batch: string;
  use: string;
  status: string;
  set_aside: string | null;
  point: Point;
  responses: Record<string, number | number[] | null>;
}
export interface Trust {
  response: string;
  verdict: string;
  reasons: string[];
  next: string[];
  q2: number | null;
  along: { at: number; q2: number | null }[];
  /** How many residuals there are; of many not all are carried. */
  runs: number;
  /** Run, observed, predicted without it. */
  residuals: [number, number | null, number | null][];
}
export interface Share {
  parameter: string;
  share: number;
  low: number | null;
  high: number | null;
}
export interface PageData {
  level: number;
  problem: Problem;
  /** By gzip and base64. */
  model: string | null;
  model_state: string;
  runs: Run[];
  trust: Trust[];
  proposals: { name: string; point: Point }[];
  front: { point: Point; knee: boolean }[];
  near_best: Record<string, [number, number]> | null;
  marks: { name: string; point: Point }[];
  windows: { name: string; span: Record<string, [number, number]> }[];
  rank: { response: string; parameters: Share[] }[];
  served: boolean;
  version: string;
  notes: string[];
  /** One view alone. */
  view: { tab: string; response: string | null; x: string; y: string; by: string; at: Point | null } | null;
  /** Smallest and largest over the region, of responses that were searched for them. */
  extremes: Record<string, [number, number]>;
}

export const title = (p: { label: string; unit: string }, name: string) =>
  (p.label || name) + (p.unit ? ` [${p.unit}]` : "");

/** The values that can be set of a parameter; empty: any of its span. */
export function settable(p: Parameter): number[] {
  if (p.sort === "choice") return p.choices!.map((_, i) => i);
  if (p.values && p.values.length > 0) return p.values;
  if (!p.step) return [];
  const [low, high] = p.span!;
  const count = Math.floor((high - low) / p.step + 1e-9);
  if (count > 5000) return [];
  return Array.from({ length: count + 1 }, (_, i) => Number((low + i * p.step!).toPrecision(12)));
}
/** The nearest of the values that can be set; of none the value itself. */
export const nearest = (values: number[], v: number) =>
  values.length > 0 ? values.reduce((a, b) => (Math.abs(b - v) < Math.abs(a - v) ? b : a)) : v;
export const spanOf = (p: Parameter): [number, number] =>
  p.sort === "choice" ? [0, p.choices!.length - 1] : p.span!;

/** A point by name as numbers in the study's order; what it lacks is nominal. */
export function numbersOf(problem: Problem, point: Point): number[] {
  return problem.parameters.map((p) => {
    const v = point[p.parameter];
    if (v === undefined) return p.nominal;
    if (p.sort === "choice") return Math.max(0, p.choices!.indexOf(String(v)));
    return Number(v);
  });
}
export function pointOf(problem: Problem, x: number[]): Point {
  const out: Point = {};
  problem.parameters.forEach((p, j) => (out[p.parameter] = p.sort === "choice" ? p.choices![x[j]] : x[j]));
  for (const f of problem.fixed) out[f.parameter] = f.value;
  return out;
}
/** What may be accepted of a response at an axis point. */
export function bounds(r: Response, q = 0): [number, number] {
  const at = (v: number | number[] | null, none: number) => (v === null ? none : Array.isArray(v) ? v[q] : v);
  return [at(r.accept.min, -Infinity), at(r.accept.max, Infinity)];
}
