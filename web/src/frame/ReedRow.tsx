import { useNavigate } from "react-router";
import type { BedNow, Watch } from "../api/client";
import { Reed } from "../drawings/Reed";
import { fixed } from "../units/format";
import type { Place } from "./place";

export function reedWords(bed: BedNow): string {
  return bed.theta.value === null ? (bed.status === "uncalibrated" ? "not calibrated" : "no reading") : `${fixed(bed.theta.value, 1)} %`;
}

/** One reed per bed in row order, grouped by house. */
export function ReedRow({ watch, place }: { watch: Watch; place: Place }) {
  const go = useNavigate();
  return (
    <nav className="reed-row" aria-label="Beds">
      {watch.air.map((house) => (
        <div key={house.house} className="reed-house">
          <div className="reeds">
            {watch.beds.filter((b) => b.house === house.house).map((bed) => (
              <button key={bed.id} type="button" className="reed-button" aria-current={place.bed === bed.id ? "true" : undefined}
                title={`Bed ${bed.name}: ${bed.heading}`}
                onClick={() => go(place.bed === bed.id ? `/${place.stage}` : `/${place.stage}/${bed.id}`)}>
                <Reed bed={bed} />
                <span className="reed-label">
                  <b><span className="visually-hidden">Bed </span>{bed.name}</b> <span className="reed-crop">{bed.crop.split(" ").at(-1)}</span>
                  <span className={`reed-value status-${bed.status}`}>{reedWords(bed)}</span>
                  <span className="visually-hidden">, {bed.status_words}</span>
                </span>
              </button>
            ))}
          </div>
          <div className="reed-ground">
            {house.name}, {house.drain_returned ? "drain returned" : "drain to waste"}
          </div>
        </div>
      ))}
    </nav>
  );
}
