// Goals, weights and limits changed on the page; and where to jump to.
import { useState_, type Kept, type State, type Wish } from "./state";
import { Typed } from "./typed";
import { pointOf, spanOf, type Point } from "./study";

export function WishesTab({ state }: { state: State }) {
  useState_(state);
  if (!state.core) return <p class="quiet">Nothing is fitted: there is nothing to wish for yet.</p>;
  const set = (k: number, change: Partial<Wish>) => {
    state.wishes[k] = { ...state.wishes[k], ...change };
    state.changed();
  };
  const number = (text: string, none: number) => (text.trim() === "" ? none : Number(text.replace(",", ".")));
  const field = (k: number, what: "target" | "weight" | "low" | "high", none: number) => (
    <Typed kind="value" label={`${state.response_(k).response} ${what}`} value={Number.isFinite(state.wishes[k][what]) ? String(state.wishes[k][what]) : ""}
           take={(text) => { const v = number(text, none); if (!Number.isNaN(v)) set(k, { [what]: v }); }} />
  );
  const jump = (name: string, point: Point, where: string) => (
    <button onClick={() => state.jump(point)} title={where}>{name}</button>
  );
  return (
    <div class="tab-body wishes">
      <table>
        <thead><tr><th>response</th><th>goal</th><th>target</th><th>weight</th><th>at least</th><th>at most</th><th>now</th><th>desirability</th></tr></thead>
        <tbody>
          {state.scalars.map((k) => {
            const v = state.answers[state.core!.first[k]]?.mean, wish = state.wishes[k];
            return (
              <tr>
                <th scope="row">{state.response_(k).label || state.response_(k).response} <small>{state.response_(k).unit}</small></th>
                <td><select aria-label={`${state.response_(k).response} goal`} value={wish.aim} onChange={(e) => set(k, { aim: e.currentTarget.value as Wish["aim"] })}>
                  {["none", "maximise", "minimise", "target"].map((a) => <option value={a}>{a}</option>)}
                </select></td>
                <td>{wish.aim === "target" && field(k, "target", 0)}</td>
                <td>{wish.aim !== "none" && field(k, "weight", 1)}</td>
                <td>{field(k, "low", -Infinity)}</td>
                <td>{field(k, "high", Infinity)}</td>
                <td>{v === undefined ? "" : v.toPrecision(5)}</td>
                <td>{wish.aim !== "none" && v !== undefined ? state.desirability(k, v).toFixed(3) : ""}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <p class="bar"><button class="strong" id="climb" onClick={() => state.climb()}>Better from here</button>
        <span class="quiet">climbs as far as limits, spans and what can be set let it</span></p>
      {state.data.proposals.length > 0 && <p class="bar">Proposals: {state.data.proposals.map((p) => jump(p.name, p.point, "go there"))}</p>}
      {state.data.front.length > 0 && <p class="bar">Along the trade-off: {state.data.front.filter((_, i) => i % Math.max(1, Math.floor(state.data.front.length / 12)) === 0).map((f, i) => jump(`${i + 1}`, f.point, "go there"))}</p>}
      <Reaches state={state} />
    </div>
  );
}

/** The share of the way that all may go at once, each towards the end of what it may alone: the largest box of that
    form of whose settings every one of a sample is acceptable. */
function together(state: State, ends: ([number, number] | null)[]): [number, number][] | null {
  const core = state.core!, d = core.d, m = 200, l = state.problem.limits.length;
  if (ends.some((e) => !e)) return null;
  const unit = core.spread(m, false), box = (s: number) => ends.map((e, j): [number, number] => [state.x[j] - s * (state.x[j] - e![0]), state.x[j] + s * (e![1] - state.x[j])]);
  const fine = (s: number) => {
    const x = new Float64Array(m * d), b = box(s);
    for (let i = 0; i < m; ++i)
      for (let j = 0; j < d; ++j) {
        const [low, high] = spanOf(state.problem.parameters[j]), u = (unit[i * d + j] - low) / (high - low || 1);
        // Every other setting is a corner: boxes end to be good there first.
        x[i * d + j] = state.problem.parameters[j].sort === "continuous" ? b[j][0] + (i % 2 ? u : Number(u > 0.5)) * (b[j][1] - b[j][0]) : state.x[j];
      }
    const y = core.means(x), margins = l > 0 ? core.margins(x) : null;
    for (let i = 0; i < m; ++i)
      if (!state.acceptable(y, i) || !state.holds(margins, i)) return false;
    return true;
  };
  if (!fine(0)) return null;
  let low = 0, high = 1;
  if (fine(1)) return box(1);
  for (let i = 0; i < 8; ++i) {
    const middle = (low + high) / 2;
    if (fine(middle)) low = middle;
    else high = middle;
  }
  return box(low);
}

/** How far each parameter can move alone, and all of them together, with all acceptable. */
function Reaches({ state }: { state: State }) {
  const ends: ([number, number] | null)[] = [];
  const rows = state.slices.map((slice, j) => {
    const p = state.problem.parameters[j], fine = slice.values.map((_, i) => slice.allowed[i] && state.acceptable(slice.means, i));
    const here = slice.values.reduce((b, v, i) => (Math.abs(v - state.x[j]) < Math.abs(slice.values[b] - state.x[j]) ? i : b), 0);
    ends[j] = null;
    if (!fine[here]) return { name: p.label || p.parameter, words: "not acceptable here" };
    let low = here, high = here;
    while (low > 0 && fine[low - 1]) --low;
    while (high + 1 < fine.length && fine[high + 1]) ++high;
    ends[j] = p.sort === "continuous" ? [Math.min(slice.values[low], state.x[j]), Math.max(slice.values[high], state.x[j])] : [state.x[j], state.x[j]];
    const word = (i: number) => (p.sort === "choice" ? p.choices![slice.values[i]] : Number(slice.values[i].toPrecision(4)).toString());
    return { name: p.label || p.parameter, words: p.sort === "choice" ? fine.map((f, i) => (f ? p.choices![i] : "")).filter(Boolean).join(", ") : `${word(low)} … ${word(high)} ${p.unit}` };
  });
  const all = state.provisional ? null : together(state, ends);
  const both = (j: number) => (all && state.problem.parameters[j].sort === "continuous" ? all[j].map((v) => Number(v.toPrecision(4))).join(" … ") : "");
  return (
    <div>
      <h4>How far each may move with everything acceptable, by the means</h4>
      <table class="reaches"><thead><tr><th></th><th>alone</th><th>all together</th></tr></thead>
        <tbody>{rows.map((r, j) => <tr><th scope="row">{r.name}</th><td>{r.words}</td><td>{both(j)}</td></tr>)}</tbody></table>
    </div>
  );
}

export function CompareTab({ state }: { state: State }) {
  useState_(state);
  const all = [{ name: "now", x: state.x }, ...state.kept];
  const means = state.core ? state.core.means(Float64Array.from(all.flatMap((k) => k.x))) : null, n = state.core?.outputs.length ?? 0;
  const base = all[1] ?? all[0];
  const csv = () => {
    const names = state.problem.parameters.map((p) => p.parameter), responses = state.scalars.map((k) => state.response_(k).response);
    const cell = (v: unknown) => (/[",\n]/.test(String(v)) ? `"${String(v).replace(/"/g, '""')}"` : String(v));
    const lines = all.map((k, i) => [k.name, ...names.map((name) => pointOf(state.problem, k.x)[name]),
      ...state.scalars.map((r) => (means ? means[i * n + state.core!.first[r]] : ""))].map(cell).join(","));
    save(new Blob([[["setting", ...names, ...responses].map(cell).join(","), ...lines].join("\n") + "\n"], { type: "text/csv" }), "settings.csv");
  };
  const picture = () => {
    const canvas = document.querySelector<HTMLCanvasElement>("canvas.big");
    canvas?.toBlob((b) => b && save(b, "picture.png"));
  };
  return (
    <div class="tab-body">
      <p class="bar">
        <button id="keep" onClick={() => state.keep("")}>Keep this setting</button>
        <button onClick={() => { state.toAddress(); state.said = "the address leads to this setting"; state.changed(); }}>Link to it</button>
        <button id="csv" onClick={csv}>CSV</button> <button onClick={picture}>Picture</button>
        {state.served && <ConfirmButton state={state} />}
      </p>
      {state.served && <p class="quiet">Kept settings are marks of the study: renth mark, draw --mark, confirm --mark know them.</p>}
      {state.served?.confirmed && <ConfirmedTable state={state} />}
      <table class="compare">
        <thead><tr><th></th>{all.map((k, i) => (
          <th>{i === 0 ? "now" : <Typed kind="name" label="name" value={k.name} take={(name) => state.rename(all[i] as Kept, name.trim())} />}
            {i > 0 && <><button onClick={() => state.go(k.x.slice())}>go</button><button aria-label={`forget ${k.name}`} onClick={() => state.forget(k)}>×</button></>}</th>
        ))}</tr></thead>
        <tbody>
          {state.problem.parameters.map((p, j) => (
            <tr><th scope="row">{p.label || p.parameter} <small>{p.unit}</small></th>
              {all.map((k) => <td class={k.x[j] !== base.x[j] ? "differs" : ""}>{p.sort === "choice" ? p.choices![k.x[j]] : Number(k.x[j].toPrecision(6))}</td>)}</tr>
          ))}
          {means && state.scalars.map((r) => {
            const o = state.core!.first[r];
            return (
              <tr class="of-response"><th scope="row">{state.response_(r).label || state.response_(r).response} <small>{state.response_(r).unit}</small></th>
                {all.map((_, i) => {
                  const v = means[i * n + o], b = means[(all.length > 1 ? 1 : 0) * n + o];
                  return <td>{v.toPrecision(5)}{all.length > 1 && i !== 1 && <small> {v - b >= 0 ? "+" : ""}{(v - b).toPrecision(3)}</small>}</td>;
                })}</tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
function save(blob: Blob, name: string) {
  const a = document.createElement("a");
  a.href = URL.createObjectURL(blob);
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(a.href), 1000);
}

/** The setting on the solver, and how far that has come. */
function ConfirmButton({ state }: { state: State }) {
  const served = state.served!, p = served.progress;
  if (!served.confirming) return <button id="confirm" class="strong" onClick={() => void served.confirm(pointOf(state.problem, state.x))}>Confirm on the solver</button>;
  return (
    <span class="progress" role="status">
      {p ? `${p.done + p.failed} of ${p.total} runs, ${p.running} running, ${p.seconds.toFixed(0)} s ${p.state}` : "starting"}
      <progress max={p ? Math.max(1, p.total) : undefined} value={p ? p.done + p.failed : undefined} aria-label="runs computed" />
      <button onClick={() => void served.stop()}>stop</button>
    </span>
  );
}
function ConfirmedTable({ state }: { state: State }) {
  const one = state.served!.confirmed!.proposals[0];
  const cell = (v: number | number[] | null | undefined) => (v === null || v === undefined ? "–" : Array.isArray(v) ? `${v.length} points` : v.toPrecision(5));
  const worst = (v: number | number[] | null) => (Array.isArray(v) ? v.reduce((a, b) => (Math.abs(b) > Math.abs(a) ? b : a), 0) : v);
  const all = (v: boolean | boolean[] | null) => (Array.isArray(v) ? v.every(Boolean) : v);
  return (
    <table id="confirmed" data-run={one.run}>
      <caption>run {one.run}: {one.status} {one.message ?? ""}</caption>
      <thead><tr><th>response</th><th>predicted</th><th>computed</th><th>error %</th><th></th></tr></thead>
      <tbody>{Object.entries(one.responses).map(([name, r]) => (
        <tr><th scope="row">{state.problem.responses.find((q) => q.response === name)?.label || name}</th><td>{cell(r.predicted)}</td><td>{cell(r.computed)}</td><td>{r.error_percent === null ? "–" : worst(r.error_percent)!.toFixed(2)}{Array.isArray(r.error_percent) ? " at worst" : ""}</td>
          <td class={all(r.within_interval) === false ? "out" : "in"}>{r.within_interval === null ? "" : all(r.within_interval) ? "inside its interval" : "OUTSIDE its interval"}</td></tr>
      ))}</tbody>
    </table>
  );
}
