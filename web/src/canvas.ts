// Drawing on canvas: sizes, axes, colours of the page's theme.
import { scaleLinear, type ScaleLinear } from "d3-scale";
import { format } from "d3-format";

export interface Theme {
  ink: string;
  quiet: string;
  grid: string;
  main: string;
  band: string;
  accent: string;
  good: string;
  bad: string;
  paper: string;
  series: string[];
}
export function theme(): Theme {
  const style = getComputedStyle(document.documentElement);
  const v = (name: string) => style.getPropertyValue(`--${name}`).trim();
  return {
    ink: v("ink"), quiet: v("quiet"), grid: v("grid"), main: v("main"), band: v("band"), accent: v("accent"),
    good: v("good"), bad: v("bad"), paper: v("paper"),
    series: [1, 2, 3, 4, 5, 6].map((i) => v(`series-${i}`)),
  };
}

/** A canvas at the screen's density; its context in CSS pixels, cleared. */
export function begin(canvas: HTMLCanvasElement): { g: CanvasRenderingContext2D; w: number; h: number } {
  const w = canvas.clientWidth, h = canvas.clientHeight, density = window.devicePixelRatio || 1;
  if (canvas.width !== Math.round(w * density) || canvas.height !== Math.round(h * density)) {
    canvas.width = Math.round(w * density);
    canvas.height = Math.round(h * density);
  }
  const g = canvas.getContext("2d")!;
  g.setTransform(density, 0, 0, density, 0, 0);
  g.clearRect(0, 0, w, h);
  g.font = "12px system-ui, 'Liberation Sans', sans-serif";
  g.lineJoin = "round";
  return { g, w, h };
}

export const short = format(".4~g");
/** As many digits as a number deserves whose standard deviation is known. */
export function digits(value: number, sd = 0): string {
  if (!Number.isFinite(value)) return "–";
  if (!(sd > 0)) return short(value);
  // Nobody reads more than five digits.
  const most = value === 0 ? 4 : 4 - Math.floor(Math.log10(Math.abs(value)));
  const decimals = Math.max(0, Math.min(8, most, 1 - Math.floor(Math.log10(sd))));
  return Math.abs(value) >= 1e6 || (value !== 0 && Math.abs(value) < 1e-4) ? value.toPrecision(4) : value.toFixed(decimals);
}

export interface Frame {
  x: ScaleLinear<number, number>;
  y: ScaleLinear<number, number>;
  left: number;
  top: number;
  right: number;
  bottom: number;
}
/** Axes with their words round a drawing. */
export function frame(g: CanvasRenderingContext2D, t: Theme, w: number, h: number, xs: [number, number], ys: [number, number],
                      xWords: string, yWords: string, xNames?: string[], yNames?: string[]): Frame {
  const left = 58, right = w - 12, top = 12, bottom = h - 42;
  const x = scaleLinear(xs, [left, right]), y = scaleLinear(ys, [bottom, top]);
  g.strokeStyle = t.grid;
  g.fillStyle = t.ink;
  g.lineWidth = 1;
  g.textAlign = "center";
  g.textBaseline = "top";
  const named = (names: string[] | undefined, scale: ScaleLinear<number, number>, count: number) =>
    names ? names.map((n, i) => ({ at: i, words: n })) : scale.ticks(count).map((v) => ({ at: v, words: short(v) }));
  for (const tick of named(xNames, x, Math.max(2, w / 90))) {
    line(g, [[x(tick.at), top], [x(tick.at), bottom]]);
    g.fillText(tick.words, x(tick.at), bottom + 5, 110);
  }
  g.textAlign = "right";
  g.textBaseline = "middle";
  for (const tick of named(yNames, y, Math.max(2, h / 60))) {
    line(g, [[left, y(tick.at)], [right, y(tick.at)]]);
    g.fillText(tick.words, left - 6, y(tick.at), 48);
  }
  g.textAlign = "center";
  g.textBaseline = "bottom";
  g.fillText(xWords, (left + right) / 2, h - 4, right - left);
  g.save();
  g.translate(12, (top + bottom) / 2);
  g.rotate(-Math.PI / 2);
  g.textBaseline = "middle";
  g.fillText(yWords, 0, 0, bottom - top + 20);
  g.restore();
  g.strokeStyle = t.quiet;
  line(g, [[left, top], [left, bottom], [right, bottom]]);
  return { x, y, left, right, top, bottom };
}
export function line(g: CanvasRenderingContext2D, points: [number, number][]) {
  g.beginPath();
  let open = false;
  for (const [x, y] of points) {
    if (!Number.isFinite(x) || !Number.isFinite(y)) {
      open = false;
      continue;
    }
    if (open) g.lineTo(x, y);
    else g.moveTo(x, y);
    open = true;
  }
  g.stroke();
}
export function area(g: CanvasRenderingContext2D, x: number[], low: number[], high: number[]) {
  if (![...low, ...high].every(Number.isFinite)) return;
  g.beginPath();
  x.forEach((v, i) => (i ? g.lineTo(v, high[i]) : g.moveTo(v, high[i])));
  for (let i = x.length; i-- > 0; ) g.lineTo(x[i], low[i]);
  g.closePath();
  g.fill();
}
export function dot(g: CanvasRenderingContext2D, x: number, y: number, r: number, fill: boolean) {
  g.beginPath();
  g.arc(x, y, r, 0, 2 * Math.PI);
  if (fill) g.fill();
  else g.stroke();
}
