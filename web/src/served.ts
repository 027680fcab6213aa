// A page that is served can write to its study: settings become marks, windows are kept, settings confirmed; and it
// hears what happens to the study meanwhile.
import type { State } from "./state";
import type { PageData, Point, Run } from "./study";

interface Refusal {
  error: { what: string; where: string; remedy: string };
}
export interface Confirmed {
  proposals: {
    run: number;
    status: string;
    message?: string;
    point: Point;
    responses: Record<string, { predicted: number | number[]; computed: number | number[] | null; error_percent: number | number[] | null; within_interval: boolean | boolean[] | null }>;
  }[];
}
interface Progress {
  done: number;
  failed: number;
  running: number;
  total: number;
  seconds: number;
  state: string;
}
type Told =
  | { event: "here"; confirming: boolean; progress: Progress | null }
  | { event: "changed" }
  | ({ event: "progress" } & Progress)
  | { event: "confirmed"; document: Confirmed }
  | ({ event: "refused" } & Refusal);

export class Served {
  /** What is said at the top of the page; empty: nothing. */
  trouble = "";
  /** The surrogates or the study file are others now: the page must be loaded again to show them. */
  outdated = false;
  confirming = false;
  progress: Progress | null = null;
  confirmed: Confirmed | null = null;
  private events: EventSource | null = null;
  private asking = false;
  private again = false;

  constructor(private state: State) {
    // Pages that nobody sees leave the server alone: a browser keeps few connections.
    document.addEventListener("visibilitychange", () => this.listen());
    addEventListener("beforeunload", () => this.remember());
    this.recall();
    this.listen();
  }

  private listen() {
    if (document.hidden) {
      this.events?.close();
      this.events = null;
      return;
    }
    if (this.events) return;
    this.events = new EventSource("events");
    this.events.onmessage = (m) => this.hear(JSON.parse(m.data) as Told);
    this.events.onerror = () => {
      this.say("The server has ended or does not answer: nothing can be written to the study. What is kept here stays on the page, and CSV saves it.");
      if (this.events?.readyState === EventSource.CLOSED) this.events = null;
    };
  }
  private say(trouble: string) {
    this.trouble = trouble;
    this.state.changed();
  }
  private hear(told: Told) {
    if (told.event === "here") {
      const returned = this.trouble !== "";
      this.trouble = "";
      this.confirming = told.confirming;
      this.progress = told.progress;
      if (returned) void this.look();
    } else if (told.event === "changed") {
      void this.look();
    } else if (told.event === "progress") {
      this.confirming = true;
      this.progress = told;
    } else if (told.event === "confirmed") {
      this.confirming = false;
      this.confirmed = told.document;
      const run = told.document.proposals[0];
      this.state.said = run.status === "done" ? `run ${run.run} has confirmed it: see Compare` : `run ${run.run}: ${run.status} ${run.message ?? ""}`;
      void this.look();
    } else {
      this.confirming = false;
      this.say(`${told.error.what}: ${told.error.remedy}`);
    }
    this.state.changed();
  }
  /** What has changed in the study: runs, marks and windows are shown at once, other surrogates are said. */
  private async look() {
    this.again = this.asking;
    if (this.asking) return;
    this.asking = true;
    try {
      const answer = await fetch("study");
      const now = (await answer.json()) as PageData | Refusal;
      if ("error" in now) return this.say(`The study cannot be read: ${now.error.what} (${now.error.where}): ${now.error.remedy}`);
      if (now.model_state !== this.state.data.model_state) this.outdated = true;
      else this.state.renew(now);
      this.say("");
    } catch {
      // The events say that the server has gone.
    } finally {
      this.asking = false;
      if (this.again) void this.look();
    }
  }
  private async post(call: string, body: unknown): Promise<boolean> {
    try {
      const answer = await fetch(call, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) });
      if (answer.ok) {
        this.say("");
        return true;
      }
      const told = (await answer.json()) as Refusal;
      this.say(`${told.error.what}: ${told.error.remedy}`);
    } catch {
      this.say("The server does not answer: nothing was written.");
    }
    return false;
  }

  async mark(name: string, point: Point): Promise<boolean> {
    const kept = await this.post("marks", { name, point });
    if (kept) {
      this.state.data.marks = [...this.state.data.marks.filter((m) => m.name !== name), { name, point }];
      this.state.said = `${name} is a mark of the study now`;
    }
    this.state.changed();
    return kept;
  }
  async forget(name: string) {
    if (!(await this.post("marks/remove", { name }))) return;
    this.state.data.marks = this.state.data.marks.filter((m) => m.name !== name);
    this.state.kept = this.state.kept.filter((k) => k.name !== name);
    this.state.changed();
  }
  async window(name: string, span: Record<string, [number, number]>) {
    if (await this.post("windows", { name, span })) this.state.said = `the window ${name} is kept: renth init --window ${name}`;
    this.state.changed();
  }
  async confirm(point: Point) {
    this.confirmed = null;
    this.confirming = await this.post("confirm", { point });
    this.state.changed();
  }
  async stop() {
    await this.post("confirm/stop", {});
  }

  /** Loads the page again with all that was set on it. */
  reload() {
    this.remember();
    location.reload();
  }
  private remember() {
    const { x, wishes, shown, order } = this.state, kept = this.state.kept.filter((k) => !this.state.isMark(k));
    try {
      sessionStorage.setItem("renth", JSON.stringify({ of: location.pathname, x, kept, wishes: wishes.map((w) => ({ ...w, low: String(w.low), high: String(w.high) })), shown, order }));
    } catch {
      // Only the link of the address is left then.
    }
  }
  private recall() {
    try {
      const was = JSON.parse(sessionStorage.getItem("renth") ?? "null");
      const s = this.state;
      if (!was || was.of !== location.pathname || was.x.length !== s.x.length || was.wishes.length !== s.wishes.length) return;
      s.wishes = was.wishes.map((w: { low: string; high: string }) => ({ ...w, low: Number(w.low), high: Number(w.high) }));
      for (const k of was.kept) if (!s.kept.some((m) => m.name === k.name)) s.kept.push(k);
      if (was.order.length === s.order.length) s.order = was.order;
      s.shown = was.shown.filter((k: number) => s.scalars.includes(k));
      if (!location.hash) s.go(was.x);
    } catch {
      // What an older page left.
    }
  }
}

/** Runs that `now` has and `before` had not, or not done. */
export function newRuns(before: Run[], now: Run[]): number[] {
  const done = new Set(before.filter((r) => r.status === "done").map((r) => r.id));
  return now.filter((r) => r.status === "done" && !done.has(r.id)).map((r) => r.id);
}
