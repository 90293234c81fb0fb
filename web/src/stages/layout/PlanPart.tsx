import { lazy, Suspense, useState } from "react";
import { useNavigate } from "react-router";
import { api, problemOf, take, type BedOut, type HouseOut, type Layout } from "../../api/client";
import { useChange, usePlumbing } from "../../api/queries";
import { HousePlan } from "../../drawings/HousePlan";
import { Fig } from "../../frame/Fig";
import type { StageProps } from "../../frame/Frame";
import { percent } from "../../units/format";

const BedEditor = lazy(() => import("./BedEditor"));
const PlaceEditors = lazy(() => import("./PlaceEditors"));
const ManyBeds = lazy(() => import("./ManyBeds"));

type Editing =
  | { kind: "bed"; bed: BedOut | null; house: number; copy?: BedOut }
  | { kind: "many"; house: HouseOut }
  | { kind: "site" }
  | { kind: "house"; house: HouseOut | null }
  | null;

interface Props extends StageProps {
  layout: Layout;
  go: (part: string) => void;
}

export function PlanPart({ watch, bed, mayChange, owner, layout: l, go }: Props) {
  const [editing, setEditing] = useState<Editing>(null);
  const navigate = useNavigate();
  const choose = (id: number) => navigate(id === bed?.id ? "/layout" : `/layout/${id}`);
  return (
    <>
      <h1>{l.form.name}, laid out</h1>
      <p className="lead">
        {Math.abs(l.form.latitude)}° {l.form.latitude < 0 ? "S" : "N"}, {Math.abs(l.form.longitude)}° {l.form.longitude < 0 ? "W" : "E"}, {l.form.altitude_m} m above the sea, time
        of {l.form.time_zone}. {l.tanks.length > 0 && `${l.tanks.join(". ")}.`}
      </p>
      {mayChange && <FirstSteps layout={l} site={watch.site} go={go} />}
      {owner && (
        <div className="actions">
          <button type="button" className="button" onClick={() => setEditing({ kind: "site" })}>Change the site</button>
          <button type="button" className={`button ${l.houses.length === 0 ? "primary" : ""}`} onClick={() => setEditing({ kind: "house", house: null })}>Add a house</button>
        </div>
      )}
      {l.houses.map((h) => (
        <section key={h.id} className="house-plan" aria-label={h.form.name}>
          <div className="section-head">
            <h2>{h.form.name}</h2>
            <span className="quiet">{percent(h.form.transmission, 0)} of the light comes through; drain {h.form.drain_returned ? "returned" : "to waste"}</span>
            {mayChange && <button type="button" className="quiet-button" onClick={() => setEditing({ kind: "house", house: h })}>change</button>}
          </div>
          {h.beds.length > 0 && <HousePlan beds={h.beds} chosen={bed?.id ?? null} onChoose={choose} label={`${h.form.name} from above, beds in row order`} />}
          {h.beds.length > 0 && (
            <BedTable house={h} chosen={bed?.id ?? null} mayChange={mayChange}
              onEdit={(b) => setEditing({ kind: "bed", bed: b, house: h.id })} onCopy={(b) => setEditing({ kind: "bed", bed: null, house: h.id, copy: b })} />
          )}
          {mayChange && (
            <div className="actions">
              <button type="button" className={`button ${h.beds.length === 0 ? "primary" : ""}`} onClick={() => setEditing({ kind: "bed", bed: null, house: h.id })}>Add a bed to {h.form.name}</button>
              {h.beds.length > 0 && <button type="button" className="button" onClick={() => setEditing({ kind: "many", house: h })}>Add many alike</button>}
            </div>
          )}
        </section>
      ))}
      <Suspense fallback={null}>
        {editing?.kind === "bed" && <BedEditor layout={l} house={editing.house} bed={editing.bed} copy={editing.copy ?? null} onClose={() => setEditing(null)} />}
        {editing?.kind === "many" && <ManyBeds house={editing.house} onClose={() => setEditing(null)} />}
        {(editing?.kind === "site" || editing?.kind === "house") && (
          <PlaceEditors layout={l} house={editing.kind === "house" ? editing.house : undefined} onClose={() => setEditing(null)} />
        )}
      </Suspense>
    </>
  );
}

/** What is still to be described, in order; gone when all of it is there. */
function FirstSteps({ layout, site, go }: { layout: Layout; site: number; go: (part: string) => void }) {
  const plumbing = usePlumbing(site);
  const navigate = useNavigate();
  if (!plumbing.data) return null;
  const beds = layout.houses.flatMap((h) => h.beds).length;
  const w = plumbing.data;
  const steps = [
    { done: layout.houses.length > 0, text: "Add the first house.", act: null },
    { done: beds > 0, text: "Add its beds in row order; many at once where they are alike.", act: null },
    { done: w.sources.length > 0 || w.tanks.length > 0, text: "Say where the water comes from, with its analysis.", act: () => go("water") },
    { done: w.tanks.length > 0 && w.pumps.length > 0, text: "Describe tank and pump: whether they suffice is then worked out.", act: () => go("water") },
    { done: beds > 0 && watchHasNodes(layout), text: "Fit the first sensor; a stand-in will do to try.", act: () => navigate("/fit") },
  ];
  if (steps.slice(0, 4).every((s) => s.done)) return null;
  const next = steps.findIndex((s) => !s.done);
  return (
    <ol className="first-steps" aria-label="First steps">
      {steps.map((s, i) => (
        <li key={s.text} className={s.done ? "done" : i === next ? "next" : ""}>
          <span aria-hidden="true" className="tick">{s.done ? "✓" : i + 1}</span>
          <span>{s.text}{s.done && <span className="visually-hidden"> Done.</span>}</span>
          {!s.done && s.act && <button type="button" className="quiet-button" onClick={s.act}>go there</button>}
        </li>
      ))}
    </ol>
  );
}

const watchHasNodes = (layout: Layout) => layout.nodes > 0;

const FIGURES = [["volume", "substrate"], ["ml_per_point", "one point is"], ["capacity", "capacity"], ["flow", "bed flow"]] as const;

function BedTable({ house, chosen, mayChange, onEdit, onCopy }: { house: HouseOut; chosen: number | null; mayChange: boolean; onEdit: (bed: BedOut) => void; onCopy: (bed: BedOut) => void }) {
  const [held, setHeld] = useState<number | null>(null);
  const [sure, setSure] = useState<number | null>(null);
  const beds = house.beds;
  const order = useChange(
    (ids: number[]) => take(api.PUT("/api/houses/{house_id}/order/", { params: { path: { house_id: house.id } }, body: { beds: ids } })),
    "layout", "watch",
  );
  const retire = useChange(
    (b: BedOut) => take(api.POST("/api/beds/{bed_id}/retire/", { params: { path: { bed_id: b.id } }, body: { version: b.form.version ?? 0 } })),
    "layout", "watch", "plumbing",
  );
  const move = (from: number, to: number) => {
    if (to < 0 || to >= beds.length || from === to) return;
    const ids = beds.map((b) => b.id);
    ids.splice(to, 0, ...ids.splice(from, 1));
    order.mutate(ids);
  };
  return (
    <>
      {(order.isError || retire.isError) && <p role="alert" className="error">{problemOf(order.error ?? retire.error)}</p>}
      <table className="plain-table stacked">
        <caption className="visually-hidden">Beds in row order</caption>
        <thead>
          <tr>
            <th scope="col">Bed</th><th scope="col">Plants</th><th scope="col">Substrate per plant</th><th scope="col">One point is</th><th scope="col">Capacity</th>
            <th scope="col">Bed flow</th><th scope="col"><span className="visually-hidden">Change</span></th>
          </tr>
        </thead>
        <tbody>
          {beds.map((b, i) => (
            <tr key={b.id} className={b.id === chosen ? "chosen" : ""} draggable={mayChange} onDragStart={() => setHeld(i)} onDragOver={(e) => e.preventDefault()}
              onDrop={() => { if (held !== null) move(held, i); setHeld(null); }}>
              <th scope="row">{b.form.name} {b.form.crop}<span className="quiet block">{b.medium_name}, {b.form.height_cm} cm high{b.form.growth_stage ? `, ${b.form.growth_stage}` : ""}</span></th>
              <td data-label="plants">{b.form.plants}</td>
              {FIGURES.map(([k, label]) => {
                const figure = b.figures[k];
                return <td key={k} data-label={label}>{figure && <Fig figure={figure} label={`bed ${b.form.name}`} />}</td>;
              })}
              <td className="row-acts">
                {mayChange && sure !== b.id && (
                  <>
                    <button type="button" className="quiet-button" aria-label={`Change bed ${b.form.name}`} onClick={() => onEdit(b)}>change</button>
                    <button type="button" className="quiet-button" aria-label={`Copy bed ${b.form.name}`} onClick={() => onCopy(b)}>copy</button>
                    <button type="button" className="quiet-button" disabled={i === 0 || order.isPending} aria-label={`Move bed ${b.form.name} up`} onClick={() => move(i, i - 1)}>↑</button>
                    <button type="button" className="quiet-button" disabled={i === beds.length - 1 || order.isPending} aria-label={`Move bed ${b.form.name} down`} onClick={() => move(i, i + 1)}>↓</button>
                    <button type="button" className="quiet-button" aria-label={`Retire bed ${b.form.name}`} onClick={() => setSure(b.id)}>retire</button>
                  </>
                )}
                {sure === b.id && (
                  <span role="alert">
                    Bed {b.form.name} leaves the row and is watered no more; its record stays.{" "}
                    <button type="button" className="quiet-button" onClick={() => retire.mutate(b, { onSettled: () => setSure((s) => (s === b.id ? null : s)) })}>retire it</button>{" "}
                    <button type="button" className="quiet-button" onClick={() => setSure(null)}>leave it</button>
                  </span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
