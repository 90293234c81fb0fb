import { useSearchParams } from "react-router";
import { api, problemOf, take, type Bench, type CalVersion } from "../../api/client";
import { useChange } from "../../api/queries";
import { clock, dayName, fixed } from "../../units/format";
import { JobLine } from "./BenchView";

/** This sensor's calibrations: what each stands on, its certificate, and taking it out of force. */
export function Versions({ bench, zone, mayChange }: { bench: Bench; zone: string; mayChange: boolean }) {
  const [, setSearch] = useSearchParams();
  const revert = useChange((v: CalVersion) => take(api.POST("/api/calibrations/{version_id}/revert/", { params: { path: { version_id: v.id } } })), "bench", "calibrate", "watch", "ribbon", "lines");
  const current = bench.versions.find((v) => v.reverted_at === null);
  const water = (v: CalVersion) => v.gives === "theta";
  return (
    <section aria-label="Earlier calibrations">
      <h2>Its calibrations</h2>
      {bench.versions.length === 0 ? (
        <p className="quiet">None yet. The first one is valid from the moment it is published.</p>
      ) : (
        <ul className="versions">
          {bench.versions.map((v) => (
            <li key={v.number} className={v.reverted_at ? "reverted" : ""}>
              <b>Version {v.number}</b>, {v.method_name}{v.provisional ? " (provisional)" : ""}, from {dayName(v.valid_from, zone)} {clock(v.valid_from, zone)}, {v.published_by}
              {v.reverted_at ? `; taken out ${dayName(v.reverted_at, zone)}` : ""}: {v.words}{" "}
              {v.points.length > 0 && `${v.points.length} points. `}
              {v.rmse !== null && v.points.length > 2 && `Misses them by ${fixed(v.rmse * (water(v) ? 100 : 1), 2)} ${water(v) ? "points" : bench.unit}. `}
              <button type="button" className="quiet-button" onClick={() => setSearch({ part: "certificate", version: String(v.id) })}>certificate</button>
              {mayChange && v === current && <button type="button" className="quiet-button" disabled={revert.isPending} onClick={() => revert.mutate(v)}>take it out of force</button>}
            </li>
          ))}
        </ul>
      )}
      {revert.isError && <p role="alert" className="error">{problemOf(revert.error)}</p>}
      {revert.data?.job != null && <JobLine job={revert.data.job} />}
    </section>
  );
}
