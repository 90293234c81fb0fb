import { useState } from "react";
import { api, problemOf, take, type BedNow, type Watch } from "../api/client";
import { useChange, useSlip } from "../api/queries";
import { clock, dayName } from "../units/format";

interface Props {
  watch: Watch;
  bed: BedNow | null;
  mayWrite: boolean;
  onFold: () => void;
}

/** Why, lately: decisions as sentences, and notes. */
export function Slip({ watch, bed, mayWrite, onFold }: Props) {
  const slip = useSlip(watch.site, bed?.id ?? null);
  const today = dayName(watch.now, watch.time_zone);
  return (
    <aside className="slip" aria-label="Why, lately">
      <div className="slip-head">
        <h2>Why, lately</h2>
        <button type="button" className="quiet-button" onClick={onFold} aria-label="Fold the slip away">fold ›</button>
      </div>
      {mayWrite && <NoteBox site={watch.site} bed={bed} />}
      {slip.isPending && <p className="quiet">Reading the record…</p>}
      {slip.isError && <p role="alert">{problemOf(slip.error)}</p>}
      {slip.data?.length === 0 && <p className="quiet">Nothing yet. Once a programme is published, each pulse given or withheld says here why.</p>}
      <ol aria-live="polite" aria-relevant="additions">
        {slip.data?.map((line) => {
          const day = dayName(line.at, watch.time_zone);
          return (
            <li key={`${line.at}${line.bed}${line.kind}${line.heading}`} className={`slip-${line.kind}`}>
              <span className="when">
                {clock(line.at, watch.time_zone)}
                {day === today ? "" : `, ${day}`}
                {bed === null && line.bed_name ? `, bed ${line.bed_name}` : ""}
              </span>
              <span>
                <b>{line.heading}</b> {line.body}
              </span>
            </li>
          );
        })}
      </ol>
    </aside>
  );
}

function NoteBox({ site, bed }: { site: number; bed: BedNow | null }) {
  const [text, setText] = useState("");
  const write = useChange(
    (note: string) =>
      take(api.POST("/api/sites/{site_id}/notes/new/", { params: { path: { site_id: site } }, body: { text: note, bed: bed?.id ?? null } })),
    "slip",
  );
  return (
    <form className="note-box"
      onSubmit={(event) => {
        event.preventDefault();
        if (text.trim()) write.mutate(text, { onSuccess: () => setText("") });
      }}>
      <label htmlFor="note-text" className="visually-hidden">Note</label>
      <textarea id="note-text" rows={text ? 3 : 1} value={text} placeholder={bed ? `Note on bed ${bed.name}` : "Note on the house"}
        onChange={(e) => setText(e.target.value)} />
      {text && <button type="submit" className="button" disabled={write.isPending}>Keep note</button>}
      {write.isError && <p role="alert" className="error">{problemOf(write.error)}</p>}
    </form>
  );
}
