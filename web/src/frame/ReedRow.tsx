import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import type { BedNow, Watch } from "../api/client";
import { Reed } from "../drawings/Reed";
import { fixed } from "../units/format";
import type { Place } from "./place";

export function reedWords(bed: BedNow): string {
  return bed.theta.value === null ? (bed.status === "uncalibrated" ? "not calibrated" : "no reading") : `${fixed(bed.theta.value, 1)} %`;
}

/** Over this many beds only the houses near the visible part of the row are drawn. */
const DRAW_ALL_UP_TO = 30;

/** One reed per bed in row order, grouped by house; houses fold, and far ones stand empty until they come near. */
export function ReedRow({ watch, place }: { watch: Watch; place: Place }) {
  const many = watch.beds.length > DRAW_ALL_UP_TO;
  return (
    <nav className="reed-row" aria-label="Beds">
      {watch.air.map((house) => (
        <House key={house.house} name={house.name} returned={house.drain_returned} many={many} place={place} beds={watch.beds.filter((b) => b.house === house.house)} />
      ))}
    </nav>
  );
}

interface HouseProps {
  name: string;
  returned: boolean;
  many: boolean;
  place: Place;
  beds: BedNow[];
}

function House({ name, returned, many, place, beds }: HouseProps) {
  const box = useRef<HTMLDivElement>(null);
  const [near, setNear] = useState(!many);
  const [folded, setFolded] = useState(false);
  const holds = beds.some((b) => b.id === place.bed);
  useEffect(() => {
    const element = box.current;
    if (!many || !element) return setNear(true);
    const observer = new IntersectionObserver((entries) => setNear(entries.some((e) => e.isIntersecting)), { root: element.parentElement, rootMargin: "0px 700px" });
    observer.observe(element);
    return () => observer.disconnect();
  }, [many]);
  useEffect(() => {
    if (!many || !holds) return;
    setFolded(false);
    box.current?.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [many, holds]);
  const drawn = !folded && (near || holds);
  const below = beds.filter((b) => b.urgent > 1).length;
  return (
    <div ref={box} className="reed-house">
      <div className={`reeds ${drawn ? "" : folded ? "reeds-folded" : "reeds-far"}`} style={drawn || folded ? undefined : ({ "--beds": beds.length } as React.CSSProperties)}>
        {drawn && beds.map((bed) => <ReedButton key={bed.id} bed={bed} place={place} />)}
        {folded && <span className="quiet">{beds.length} beds{below > 0 ? `, ${below} need you` : ""}</span>}
      </div>
      <div className="reed-ground">
        {many && <button type="button" className="fold" aria-expanded={!folded} aria-label={`${folded ? "Unfold" : "Fold"} ${name}`} onClick={() => setFolded(!folded)}>{folded ? "▸" : "▾"}</button>}
        {name}, {returned ? "drain returned" : "drain to waste"}
      </div>
    </div>
  );
}

function ReedButton({ bed, place }: { bed: BedNow; place: Place }) {
  const go = useNavigate();
  const here = place.bed === bed.id;
  return (
    <button type="button" className="reed-button" aria-current={here ? "true" : undefined} title={`Bed ${bed.name}: ${bed.heading}`}
      onClick={() => go(here ? `/${place.stage}` : `/${place.stage}/${bed.id}`)}>
      <Reed bed={bed} />
      <span className="reed-label">
        <b><span className="visually-hidden">Bed </span>{bed.name}</b> <span className="reed-crop">{bed.crop.split(" ").at(-1)}</span>
        <span className={`reed-value status-${bed.status}`}>{reedWords(bed)}</span>
        <span className="visually-hidden">, {bed.status_words}</span>
      </span>
    </button>
  );
}
