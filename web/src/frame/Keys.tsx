import { useEffect, useRef } from "react";
import type { BedNow } from "../api/client";
import { STAGES, useGo, type Place } from "./place";

const ALL_KEYS: [string, string][] = [
  ["1 to 7", "stage: Lay out, Fit, Calibrate, Feed, Water, Watch, Review"],
  ["[ and ]", "bed before, bed after"],
  ["h", "whole house, no bed chosen"],
  ["n", "write a note"],
  ["s", "fold or unfold the slip"],
  ["← and →", "move the cursor on a focused ribbon"],
  ["?", "these keys"],
  ["Esc", "close what is open"],
];

interface Props {
  beds: BedNow[];
  place: Place;
  help: boolean;
  setHelp: (open: boolean) => void;
  toggleSlip: (open?: boolean) => void;
}

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement && (target.matches("input, textarea, select") || target.isContentEditable);

/** Keys that work everywhere but while typing. */
export function Keys({ beds, place, help, setHelp, toggleSlip }: Props) {
  const go = useGo();
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === "Escape") setHelp(false);
      if (typing(event.target)) return;
      const stage = STAGES[Number(event.key) - 1];
      if (stage?.built) go(stage.code, place.bed);
      else if (event.key === "[" || event.key === "]") go(place.stage, neighbour(beds, place.bed, event.key === "]" ? 1 : -1));
      else if (event.key === "h") go(place.stage, null);
      else if (event.key === "?") setHelp(true);
      else if (event.key === "s") toggleSlip();
      else if (event.key === "n") {
        toggleSlip(true);
        event.preventDefault();
        window.setTimeout(() => document.getElementById("note-text")?.focus(), 30);
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [beds, place, go, setHelp, toggleSlip]);
  return help ? <Help onClose={() => setHelp(false)} /> : null;
}

function neighbour(beds: BedNow[], current: number | null, step: number): number | null {
  if (beds.length === 0) return null;
  const at = beds.findIndex((b) => b.id === current);
  const next = at < 0 ? (step > 0 ? 0 : beds.length - 1) : (at + step + beds.length) % beds.length;
  return beds[next]?.id ?? null;
}

function Help({ onClose }: { onClose: () => void }) {
  const ref = useRef<HTMLDialogElement>(null);
  useEffect(() => ref.current?.showModal(), []);
  return (
    <dialog ref={ref} className="help" onClose={onClose} aria-labelledby="help-title">
      <h2 id="help-title">Keys</h2>
      <dl>
        {ALL_KEYS.map(([key, what]) => (
          <div key={key}>
            <dt><kbd>{key}</kbd></dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
      <button type="button" className="button" onClick={onClose}>Close</button>
    </dialog>
  );
}
