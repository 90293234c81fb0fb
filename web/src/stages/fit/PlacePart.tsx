import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take, type NodeOut, type Probe } from "../../api/client";
import { useCatalogue, useChange, useLayout, useProbes } from "../../api/queries";
import { PlaceDrawing } from "../../drawings/PlaceDrawing";
import type { StageProps } from "../../frame/Frame";
import { useGo } from "../../frame/place";
import { counted, fixed } from "../../units/format";

/** Where a probe goes in its container: drag it, see what it reads, keep the place; and which plants speak for the bed. */
export default function PlacePart({ watch, bed, mayChange }: StageProps & { nodes: NodeOut[] }) {
  const catalogue = useCatalogue();
  const layout = useLayout(watch.site);
  const probes = useProbes(watch.site);
  const mine = probes.data?.filter((p) => p.bed === bed?.id) ?? [];
  const [picked, setPicked] = useState<number | null>(null);
  const probe = mine.find((p) => p.id === picked) ?? mine[0];
  const [kind, setKind] = useState("capacitive");
  const [at, setAt] = useState<{ across_cm: number; depth_cm: number } | null>(null);
  const [plant, setPlant] = useState<number | null>(null);
  const judged = useQuery({
    queryKey: ["placement", bed?.id, kind, at?.across_cm, at?.depth_cm],
    enabled: bed !== null,
    queryFn: () => take(api.POST("/api/beds/{bed_id}/placement/", { params: { path: { bed_id: bed?.id ?? 0 } }, body: { kind, ...at } })),
    placeholderData: (p) => p,
    retry: false,
  });
  const keep = useChange(
    (place: { across_cm: number; depth_cm: number; plant: number | null }) => take(api.PUT("/api/probes/{probe_id}/move/", { params: { path: { probe_id: probe?.id ?? 0 } }, body: place })),
    "probes", "bench", "placement",
  );
  if (!bed) return <WhichBed watch={watch} probes={probes.data ?? []} />;
  const form = layout.data?.houses.flatMap((h) => h.beds).find((b) => b.id === bed.id)?.form;
  const p = judged.data;
  return (
    <>
      <h1>Place a probe in bed {bed.name}</h1>
      <p className="lead">{p ? (p.refused || p.advice.join(" ")) : "Drawing the container…"}</p>
      <div className="place">
        {p && <PlaceDrawing place={{ ...p, ...at }} label={`Container of bed ${bed.name} with the probe`} onMove={(across_cm, depth_cm) => setAt({ across_cm, depth_cm })} />}
        <div>
          <label>Kind of probe{" "}
            <select value={kind} onChange={(e) => setKind(e.target.value)}>{catalogue.data?.kinds.filter((k) => k.places === "substrate").map((k) => <option key={k.code} value={k.code}>{k.name}</option>)}</select>
          </label>
          {p && (
            <dl className="place-figures">
              <div><dt>depth</dt><dd>{fixed(p.depth_cm, 1)} cm of {fixed(p.height_cm, 0)}</dd></div>
              <div><dt>from the dripper</dt><dd>{fixed(p.to_dripper_cm, 1)} cm</dd></div>
              <div><dt>to wall, floor or surface</dt><dd>{fixed(p.to_wall_cm, 1)} cm</dd></div>
              <div><dt>reads within</dt><dd>{fixed(p.radius_cm, 1)} cm; {fixed(p.inside_pct, 0)} % of it inside</dd></div>
            </dl>
          )}
          <button type="button" className="quiet-button" onClick={() => setAt(null)}>take the proposed place</button>
          {mine.length > 0 && mayChange && p && (
            <section className="point open" aria-label="Keep this place">
              <label>Probe <select value={probe?.id} onChange={(e) => setPicked(Number(e.target.value))}>{mine.map((m) => <option key={m.id} value={m.id}>{m.name}</option>)}</select></label>
              <p className="quiet">{probe && `stands ${fixed(probe.depth_cm, 1)} cm deep, ${fixed(probe.dripper_distance_cm, 1)} cm from the dripper`}{plant ? `; by plant ${plant}` : ""}</p>
              <button type="button" className="button primary" disabled={p.refused !== "" || keep.isPending} onClick={() => keep.mutate({ across_cm: p.across_cm, depth_cm: p.depth_cm, plant })}>Probe {probe?.name} stands here now</button>
              <p className="quiet">Readings from before count as from somewhere else: the spirit level starts anew.</p>
              {keep.isSuccess && <p role="status">Kept.</p>}
              {keep.isError && <p role="alert" className="error">{problemOf(keep.error)}</p>}
            </section>
          )}
        </div>
      </div>
      {form && <Plants count={form.plants} chosen={plant} onChoose={setPlant} />}
      <h2>Which and how many</h2>
      <ul className="advice">
        <li>A typical plant, not the best and not the one at the door; not the first or last metre of the line.</li>
        <li>Two probes or more where a bed must not hang on one; at two depths where you want to know what passes the roots.</li>
        <li>Light and air at canopy height: the air sensor in a ventilated shield, out of one-sided sun; pairs inside and outside for the roof’s light.</li>
      </ul>
    </>
  );
}

/** The bed’s plants along its row: typical ones are offered, the ends are not. */
function Plants({ count, chosen, onChoose }: { count: number; chosen: number | null; onChoose: (plant: number) => void }) {
  const offered = [0.3, 0.5, 0.7].map((share) => Math.max(1, Math.round(share * count)));
  return (
    <figure className="plants">
      <svg viewBox="0 0 640 40" role="img" aria-label={`${count} plants along the row; the first and last tenth are not typical`}>
        <rect x="10" y="14" width="620" height="12" rx="6" fill="#c9d3c1" />
        <rect x="10" y="14" width="62" height="12" fill="#E6DBC3" /><rect x="568" y="14" width="62" height="12" fill="#E6DBC3" />
        {chosen !== null && <circle cx={10 + (620 * (chosen - 0.5)) / count} cy="20" r="9" fill="#7A4B7E" />}
      </svg>
      <figcaption>
        Plants along the row; the pale ends are not typical. Probe by plant{" "}
        {offered.map((o) => <button key={o} type="button" className="chip" aria-pressed={chosen === o} onClick={() => onChoose(o)}>{o}</button>)}
        <input className="inline-number" inputMode="numeric" aria-label="Number of the plant" value={chosen ?? ""} onChange={(e) => { const v = Number(e.target.value); if (v >= 1 && v <= count) onChoose(v); }} /> of {count}
      </figcaption>
    </figure>
  );
}

/** Without a bed: where each probe sits now, and the beds that have none. */
function WhichBed({ watch, probes }: { watch: StageProps["watch"]; probes: Probe[] }) {
  const go = useGo();
  const [house, setHouse] = useState<number | null>(null);
  const houses = watch.air.filter((a) => watch.beds.some((b) => b.house === a.house));
  const here = house ?? houses[0]?.house;
  const bare = watch.beds.filter((b) => !probes.some((p) => p.bed === b.id));
  return (
    <>
      <h1>Place a probe</h1>
      <p className="lead">{bare.length === 0 ? "Every bed has a probe. " : `Without a probe: bed ${counted(bare.map((b) => b.name))}. `}Choose a bed; its container is then drawn to scale.</p>
      {houses.length > 1 && <label>In{" "}<select className="inline-select" value={here} onChange={(e) => setHouse(Number(e.target.value))}>{houses.map((h) => <option key={h.house} value={h.house}>{h.name}</option>)}</select></label>}
      <ul className="probe-list">
        {watch.beds.filter((b) => b.house === here).map((b) => (
          <li key={b.id}>
            <span><b>Bed {b.name}</b>, {b.crop}{" "}
              <span className="quiet">{probes.filter((p) => p.bed === b.id).map((p) => `probe ${p.name}: ${fixed(p.depth_cm, 1)} cm deep, ${fixed(p.dripper_distance_cm, 1)} cm from the dripper`).join("; ") || "no probe yet"}</span></span>
            <button type="button" className="button" aria-label={`Place in bed ${b.name}`} onClick={() => go("fit", b.id, "place")}>Place</button>
          </li>
        ))}
      </ul>
    </>
  );
}
