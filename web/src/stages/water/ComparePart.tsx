import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take, type BedNow, type Programme, type ProgrammeOut, type Replayed, type Tried, type Watch } from "../../api/client";
import { useRecordedDays } from "../../api/queries";
import { DayRibbon } from "../../drawings/DayRibbon";
import { fromReplay, fromSimulation } from "../../drawings/ribbonData";
import { Fig } from "../../frame/Fig";
import { dayName, fixed, millilitres, percent, withUnit } from "../../units/format";
import { Weathers } from "./ProgrammeEditor";
import { useDraft } from "./useDraft";

interface Props {
  watch: Watch;
  bed: BedNow;
  programme: ProgrammeOut;
}

/** Programmes side by side in the same weather: the draft, what is published, and each school's start. */
export function ComparePart({ watch, bed, programme }: Props) {
  const d = useDraft(bed.id, programme);
  const [weather, setWeather] = useState("week");
  const named = [
    ...(programme.published ? [{ name: `version ${programme.published.number}`, body: programme.published.body as Programme }] : []),
    ...(d.changed ? [{ name: "the draft", body: d.draft }] : []),
  ];
  const found = useQuery({
    queryKey: ["compare-programmes", bed.id, weather, named],
    queryFn: () => take(api.POST("/api/beds/{bed_id}/programme/compare/", { params: { path: { bed_id: bed.id } }, body: { programmes: named, schools: true, span: weather === "week" ? "week" : "day", weather: weather === "week" ? "clear" : weather } })),
    placeholderData: (p) => p,
    staleTime: 60_000,
  });
  const rows = found.data ?? [];
  const [shown, setShown] = useState<string | null>(null);
  const best = [...rows].sort((a, b) => b.tried.in_band - a.tried.in_band)[0];
  const drawn = rows.find((r) => r.name === shown) ?? best;
  return (
    <>
      <h1>Bed {bed.name}, side by side</h1>
      <p className="lead">{best ? `${best.name.charAt(0).toUpperCase()}${best.name.slice(1)} keeps the bed longest in its band: ${percent(best.tried.in_band, 0)} of the time.` : "Simulating each of them…"}</p>
      <p className="try">In <Weathers bed={bed.id} zone={watch.time_zone} value={weather} onChange={setWeather} />, from the same start, with the model of this bed:</p>
      {found.isError && <p role="alert" className="error">{problemOf(found.error)}</p>}
      <div className="table-scroll">
        <table className="plain-table">
          <caption className="visually-hidden">Programmes compared</caption>
          <thead><tr><th scope="col">Programme</th><th scope="col">Pulses</th><th scope="col">Water per plant</th><th scope="col">Drain</th><th scope="col">In its band</th><th scope="col">Lowest to peak</th><th scope="col">Salt at the end</th><th scope="col"><span className="visually-hidden">Draw</span></th></tr></thead>
          <tbody>
            {rows.map((r) => (
              <tr key={r.name} className={r === drawn ? "chosen" : ""}>
                <th scope="row">{r.name}{r.tried.fault && <span className="block tone-clay">stops with a missed target</span>}</th>
                <td>{r.tried.pulses.length}</td><td>{millilitres(r.tried.dose_ml)}</td><td>{percent(r.tried.drain_share, 0)}</td><td>{percent(r.tried.in_band, 0)}</td>
                <td>{percent(r.tried.lowest, 0)} to {percent(r.tried.peak, 0)}</td><td>{withUnit(r.tried.end_pore_ec_ms_cm, "mS/cm", 1)}</td>
                <td><button type="button" className="quiet-button" aria-pressed={r === drawn} aria-label={`Draw ${r.name}`} onClick={() => setShown(r.name)}>draw</button></td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {drawn && <DayRibbon data={fromSimulation(drawn.tried as Tried, drawn.low, drawn.high, programme.capacity)} zone={watch.time_zone} label={`${drawn.name} of bed ${bed.name}`} height={220} />}
      {programme.schools.map((s) => <p key={s.code} className="quiet"><b>{s.name}</b> suits {s.suits}; fails {s.fails}.</p>)}
    </>
  );
}

/** A day of the record as another programme would have made it. */
export function ReplayPart({ watch, bed, programme }: Props) {
  const d = useDraft(bed.id, programme);
  const days = useRecordedDays(bed.id);
  const [picked, setPicked] = useState<string | null>(null);
  const day = picked ?? days.data?.[0]?.day ?? "";
  const found = useQuery({
    queryKey: ["replay", bed.id, day, d.draft],
    enabled: day !== "",
    queryFn: () => take(api.POST("/api/beds/{bed_id}/programme/replay/", { params: { path: { bed_id: bed.id } }, body: { body: d.draft, day } })),
    placeholderData: (p) => p,
    retry: false,
    staleTime: 60_000,
  });
  if (days.data?.length === 0) return <><h1>Replay</h1><p className="lead">No whole day with light and water content is on record yet. Come back tomorrow.</p></>;
  const r = found.data as Replayed | undefined;
  return (
    <>
      <h1>Bed {bed.name}, a day as it could have been</h1>
      <p className="try">
        On{" "}
        <select aria-label="Recorded day" value={day} onChange={(e) => setPicked(e.target.value)}>
          {days.data?.map((x) => <option key={x.day} value={x.day}>{dayName(`${x.day}T12:00:00Z`, watch.time_zone)}, {fixed(x.light_j_cm2, 0)} J/cm², {x.pulses} pulses</option>)}
        </select>{" "}
        {r && <>it had <b>{r.was_pulses.length} pulses, {millilitres(r.was_dose_ml)}</b> per plant. Under {d.changed ? "the draft" : "the published programme"} it would have had <b>{r.instead.pulses.length} pulses, {millilitres(r.instead.dose_ml)}</b>, {percent(r.instead.drain_share, 0)} drain.</>}
      </p>
      {found.isError && <p role="alert" className="error">{problemOf(found.error)}</p>}
      {r && (
        <>
          <DayRibbon data={fromReplay(r, d.draft.low, d.draft.high, programme.capacity)} zone={watch.time_zone} label={`Replay of bed ${bed.name}`} height={250} />
          <p>
            The bed model was fitted to that day first: it misses the record by <Fig figure={r.fit_error} label="error of the fit" />; the crop used {fixed(r.use_factor, 2)} times the model, {percent(r.delivered_share, 0)} of each dose arrived
            {r.delivered_share < 0.7 ? ": look at the drippers" : ""}. {(r.fit_error.value ?? 9) > 2.5 ? "That is a poor fit; do not lean on this replay." : "That is close enough to lean on."}
          </p>
          <p className="quiet">Solid: what was recorded. Dotted: the same day under {d.changed ? "the draft" : "the published programme"}. Pegs from the top are its pulses.</p>
        </>
      )}
    </>
  );
}
