// A field that keeps what is being typed, whatever is drawn again meanwhile, until Enter or leaving it.
import { useState } from "preact/hooks";

export function Typed({ value, label, kind, take }: { value: string; label: string; kind: string; take: (text: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const done = (text: string, always: boolean) => {
    setTyped(null);
    if (always || text !== value) take(text);
  };
  return <input class={kind} aria-label={label} value={typed ?? value} onInput={(e) => setTyped(e.currentTarget.value)}
                onBlur={(e) => done(e.currentTarget.value, false)} onKeyDown={(e) => e.key === "Enter" && done(e.currentTarget.value, true)} />;
}
