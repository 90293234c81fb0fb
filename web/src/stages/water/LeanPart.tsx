import { useState } from "react";
import type { Checked, Programme } from "../../api/client";
import { nameOf, shownAt, withPath } from "./settings";

const LEANS = [{ code: "leafy", name: "towards leaf" }, { code: "fruiting", name: "towards fruit" }] as const;

/** A lean of the crop as a proposal: every amount it moves and why, before it is taken. */
export function LeanPart({ draft, leans, disabled, onTake }: { draft: Programme; leans: Checked["leans"]; disabled: boolean; onTake: (next: Programme) => void }) {
  const [lean, setLean] = useState<"leafy" | "fruiting" | null>(null);
  const changes = lean ? leans[lean] ?? [] : [];
  const take = () => {
    onTake({ ...changes.reduce((p, c) => withPath(p, c.path, c.after), draft), lean: lean ?? draft.lean });
    setLean(null);
  };
  return (
    <>
      {" "}Lean the crop{" "}
      {LEANS.map((l) => <button key={l.code} type="button" className="in-words" aria-pressed={lean === l.code} onClick={() => setLean(lean === l.code ? null : l.code)}>{l.name}</button>)}
      {draft.lean !== "balanced" && <span className="quiet"> (it leans {draft.lean === "leafy" ? "towards leaf" : "towards fruit"} now)</span>}
      {lean && (
        <span className="lean-list">
          {changes.map((c) => <span key={c.path} className="block"><b>{nameOf(draft, c.path)}</b> {shownAt(draft, c.path, c.before)} → {shownAt(draft, c.path, c.after)}: {c.why}</span>)}
          {!disabled && <button type="button" className="button" onClick={take}>Take these into the draft</button>}
        </span>
      )}
    </>
  );
}
