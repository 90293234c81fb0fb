import { lazy, Suspense, useState } from "react";
import { problemOf, type BedOut, type HouseOut } from "../../api/client";
import { useLayout } from "../../api/queries";
import { Fig } from "../../frame/Fig";
import type { StageProps } from "../../frame/Frame";
import { percent } from "../../units/format";

const BedEditor = lazy(() => import("./BedEditor"));
const PlaceEditors = lazy(() => import("./PlaceEditors"));

type Editing = { kind: "bed"; bed: BedOut | null; house: number } | { kind: "site" } | { kind: "house"; house: HouseOut | null } | null;

/** The holding as it is laid out: site, houses, beds in row order, with the figures that follow at once. */
export default function LayOut({ watch, bed, mayChange, owner }: StageProps) {
  const layout = useLayout(watch.site);
  const [editing, setEditing] = useState<Editing>(null);
  if (!layout.data) return layout.isError ? <p role="alert" className="error">{problemOf(layout.error)}</p> : <p className="quiet">Reading the plan…</p>;
  const l = layout.data;
  return (
    <>
      <h1>{l.form.name}, laid out</h1>
      <p className="lead">
        {Math.abs(l.form.latitude)}° {l.form.latitude < 0 ? "S" : "N"}, {Math.abs(l.form.longitude)}° {l.form.longitude < 0 ? "W" : "E"}, {l.form.altitude_m} m above the sea, time
        of {l.form.time_zone}. {l.tanks.join(". ")}.
      </p>
      {owner && (
        <div className="actions">
          <button type="button" className="button" onClick={() => setEditing({ kind: "site" })}>Change the site</button>
          <button type="button" className="button" onClick={() => setEditing({ kind: "house", house: null })}>Add a house</button>
        </div>
      )}
      {l.houses.length === 0 && <p className="quiet">No house yet. Add the first one, then its beds in row order.</p>}
      {l.houses.map((h) => (
        <section key={h.id} className="house-plan" aria-label={h.form.name}>
          <div className="section-head">
            <h2>{h.form.name}</h2>
            <span className="quiet">{percent(h.form.transmission, 0)} of the light comes through; drain {h.form.drain_returned ? "returned" : "to waste"}</span>
            {mayChange && <button type="button" className="quiet-button" onClick={() => setEditing({ kind: "house", house: h })}>change</button>}
          </div>
          {h.beds.length > 0 && <BedTable beds={h.beds} chosen={bed?.id ?? null} mayChange={mayChange} onEdit={(b) => setEditing({ kind: "bed", bed: b, house: h.id })} />}
          {mayChange && <button type="button" className="button" onClick={() => setEditing({ kind: "bed", bed: null, house: h.id })}>Add a bed to {h.form.name}</button>}
        </section>
      ))}
      <Suspense fallback={null}>
        {editing?.kind === "bed" && <BedEditor layout={l} house={editing.house} bed={editing.bed} onClose={() => setEditing(null)} />}
        {(editing?.kind === "site" || editing?.kind === "house") && (
          <PlaceEditors layout={l} house={editing.kind === "house" ? editing.house : undefined} onClose={() => setEditing(null)} />
        )}
      </Suspense>
    </>
  );
}

function BedTable({ beds, chosen, mayChange, onEdit }: { beds: BedOut[]; chosen: number | null; mayChange: boolean; onEdit: (bed: BedOut) => void }) {
  return (
    <table className="plain-table">
      <caption className="visually-hidden">Beds in row order</caption>
      <thead>
        <tr>
          <th scope="col">Bed</th><th scope="col">Plants</th><th scope="col">Substrate per plant</th><th scope="col">One point is</th><th scope="col">Capacity</th>
          <th scope="col">Bed flow</th><th scope="col"><span className="visually-hidden">Change</span></th>
        </tr>
      </thead>
      <tbody>
        {beds.map((b) => (
          <tr key={b.id} className={b.id === chosen ? "chosen" : ""}>
            <th scope="row">{b.form.name} {b.form.crop}<span className="quiet block">{b.form.medium.replace("_", " ")}, {b.form.height_cm} cm high</span></th>
            <td>{b.form.plants}</td>
            {(["volume", "ml_per_point", "capacity", "flow"] as const).map((k) => {
              const figure = b.figures[k];
              return <td key={k}>{figure && <Fig figure={figure} label={`bed ${b.form.name}`} />}</td>;
            })}
            <td>{mayChange && <button type="button" className="quiet-button" aria-label={`Change bed ${b.form.name}`} onClick={() => onEdit(b)}>change</button>}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
