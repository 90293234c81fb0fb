import type { BedNow, ToCalibrate } from "../../api/client";
import { Fig } from "../../frame/Fig";
import { fixed } from "../../units/format";

/** What needs a calibration first, then all others by the days they have left. */
export function TargetList({ rows, bed, onOpen }: { rows: ToCalibrate[]; bed: BedNow | null; onOpen: (target: string) => void }) {
  const missing = rows.filter((r) => r.wanted && !r.calibrated).length;
  const mine = bed ? rows.filter((r) => r.bed === bed.id) : rows;
  const shown = mine.length ? mine : rows;
  return (
    <>
      <h1>Calibrate{bed && mine.length ? `, bed ${bed.name}` : ""}</h1>
      <p className="lead">
        {bed && mine.length === 0 ? "This bed has no sensor yet. " : ""}
        {rows.length === 0 ? "Nothing that can be calibrated is fitted yet." : missing ? `${missing === 1 ? "One sensor means" : `${missing} sensors mean`} nothing before it is calibrated; a bed with such a probe is not watered.` : "Everything that needs a calibration has one."}
      </p>
      <ul className="probe-list">
        {shown.map((r) => (
          <li key={`${r.target}-${r.id}`}>
            <div>
              <b>{r.name[0]?.toUpperCase()}{r.name.slice(1)}</b>, {r.group} {(r.calibrated || !r.wanted) && <TrustMark trust={r.trust} words={r.trust_words} />}
              <span className="quiet block">{r.probe === null ? "" : `${r.quantity_name}: `}{r.state}{r.provisional ? ", provisional: it stretches the span" : ""}{due(r)}</span>
            </div>
            <span className="list-value">{r.calibrated && <Fig figure={r.value} label={r.name} />}</span>
            <button type="button" className={r.wanted && !r.calibrated ? "button primary" : "button"} onClick={() => onOpen(`${r.target}-${r.id}`)}>
              {r.calibrated ? "Open the bench" : "Calibrate it"}<span className="visually-hidden">, {r.name}</span>
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}

function due(r: ToCalibrate): string {
  if (r.due_in_days === null) return "";
  if (r.due_in_days <= 0) return `; due ${r.due_in_days < -1 ? `${fixed(-r.due_in_days, 0)} days ago` : "now"}`;
  return `; due in ${fixed(r.due_in_days, 0)} days`;
}

const MARKS: Record<string, { sign: string; name: string }> = {
  trusted: { sign: "✓", name: "trusted" },
  doubtful: { sign: "?", name: "doubtful" },
  not_to_be_used: { sign: "✕", name: "not to be used" },
};

/** How far a channel is trusted: a sign, a word, and the reason on hover and to a screen reader. */
export function TrustMark({ trust, words }: { trust: string; words: string }) {
  const mark = MARKS[trust];
  if (!mark) return null;
  return <span className={`trust-mark trust-${trust}`} title={words}><span aria-hidden="true">{mark.sign}</span> {mark.name}<span className="visually-hidden">: {words}</span></span>;
}
