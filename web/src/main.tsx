// The page: a setting on the left, what it does on the right.
import { render } from "preact";
import { Core } from "./core";
import { FencesTab } from "./fences";
import { FrontTab } from "./front";
import { CurveTab, MapTab } from "./map";
import { QualityTab, RunsTab } from "./runs";
import { Answers, Settings } from "./settings";
import { State, useState_, type Tab } from "./state";
import type { PageData } from "./study";
import "nouislider/dist/nouislider.css";
import "./style.css";
import { CompareTab, WishesTab } from "./wishes";

const tabs: { tab: Tab; words: string }[] = [
  { tab: "map", words: "Map" }, { tab: "curve", words: "Curve" }, { tab: "front", words: "Trade-off" }, { tab: "wishes", words: "Wishes" },
  { tab: "fences", words: "Fences and yield" }, { tab: "runs", words: "Runs" }, { tab: "quality", words: "Quality" },
  { tab: "compare", words: "Compare" },
];

function Page({ state }: { state: State }) {
  useState_(state);
  const usable = tabs.filter(({ tab }) => (tab !== "curve" || state.curves.length > 0) && (tab !== "front" || state.data.front.length > 0));
  const body = { map: MapTab, curve: CurveTab, front: FrontTab, wishes: WishesTab, fences: FencesTab, runs: RunsTab, quality: QualityTab, compare: CompareTab }[state.tab];
  const Body = body;
  return (
    <>
      <header>
        <h1>{state.problem.name}</h1>
        <span class="bar">
          <label><input type="checkbox" checked={state.bands} onChange={() => { state.bands = !state.bands; state.compute(true); state.changed(); }} /> bands</label>
          <button onClick={() => state.go(state.problem.parameters.map((p) => p.nominal))}>nominal</button>
          <button id="keep-setting" onClick={() => { state.keep(""); state.said = "kept: see Compare"; state.changed(); }}>keep</button>
          <button aria-label="dark or light" onClick={() => { const root = document.documentElement; root.dataset.theme = dark() ? "light" : "dark"; state.changed(); }}>◐</button>
        </span>
      </header>
      {state.data.notes.map((n) => <p class="warning">{n}</p>)}
      {state.served?.trouble && <p class="warning" id="trouble" role="alert">{state.served.trouble}</p>}
      {state.served?.outdated && <p class="warning" id="outdated" role="alert">The study or its surrogates have changed. <button onClick={() => state.served!.reload()}>Load it again</button> What is set and kept here stays.</p>}
      <main class={state.data.view?.tab === "slices" ? "slices" : ""}>
        <Settings state={state} />
        <div class="right">
          <Answers state={state} />
          <nav role="tablist" aria-label="views" hidden={state.data.view !== null}>
            {usable.map(({ tab, words }) => (
              <button role="tab" id={`tab-${tab}`} aria-selected={state.tab === tab} onClick={() => { state.tab = tab; state.changed(); }}>{words}</button>
            ))}
          </nav>
          {state.data.view?.tab !== "slices" && <section role="tabpanel" aria-labelledby={`tab-${state.tab}`}><Body state={state} /></section>}
        </div>
      </main>
    </>
  );
}
const dark = () => (document.documentElement.dataset.theme ?? (matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light")) === "dark";

async function start() {
  const host = document.getElementById("page")!;
  try {
    const data = JSON.parse(document.getElementById("study")!.textContent!) as PageData;
    const core = await Core.start(data), state = new State(data, core);
    if (!core) state.tab = "runs";
    window.renth = {
      ready: true,
      predict: (point) => {
        if (!core) throw new Error("nothing is fitted");
        return core.predict(point);
      },
    };
    host.textContent = "";
    render(<Page state={state} />, host);
    addEventListener("resize", () => state.changed());
    document.documentElement.dataset.ready = "true";
  } catch (error) {
    host.textContent = `This page could not be opened: ${error instanceof Error ? error.message : error}`;
    document.documentElement.dataset.ready = "failed";
  }
}
void start();
