import type { BedNow, TankNow, Watch } from "../api/client";
import { colour } from "../theme";
import { age, fixed } from "../units/format";
import { Fig } from "./Fig";

/** Air of the chosen bed's house, else of the first. */
export function AirBlock({ watch, bed }: { watch: Watch; bed: BedNow | null }) {
  const air = watch.air.find((a) => a.house === bed?.house) ?? watch.air[0];
  if (!air) return null;
  return (
    <section className="air" aria-label={`Air, ${air.name}`}>
      <span className="quiet">Air, {air.name}, {age(air.air_temp.at, watch.now)}</span>
      <div className="air-big">
        <Fig figure={air.air_temp} now={watch.now} label="air temperature" /> <Fig figure={air.humidity} now={watch.now} label="relative humidity" />
      </div>
      <div><span className="quiet">VPD air</span> <Fig figure={air.vpd} now={watch.now} label="vapour pressure deficit of the air" /></div>
      <div><span className="quiet">VPD leaf</span> <Fig figure={air.leaf_vpd} now={watch.now} label="vapour pressure deficit at the leaf" /></div>
      <div><span className="quiet">light</span> <Fig figure={air.radiation} now={watch.now} label="global radiation inside" /></div>
    </section>
  );
}

export function TankBlock({ watch }: { watch: Watch }) {
  const tank = watch.tanks[0];
  if (!tank) return null;
  return (
    <section className="tank" aria-label={tank.name}>
      <TankDrawing tank={tank} />
      <div>
        <span className="quiet">{tank.name}</span>
        <div className="air-big">{fixed(tank.content.value, 0)} <span className="unit">L</span></div>
        <span className="quiet">{tank.words}</span>
        <span className="quiet">{age(tank.content.at, watch.now)}</span>
      </div>
    </section>
  );
}

function TankDrawing({ tank }: { tank: TankNow }) {
  const y = (litres: number) => 70 - (66 * Math.min(litres, tank.capacity_l)) / tank.capacity_l;
  const level = y(tank.content.value ?? 0);
  return (
    <svg width="40" height="74" viewBox="0 0 40 74" aria-hidden="true">
      {tank.content.value !== null && <rect x="8" y={level} width="28" height={70 - level} fill={colour.water} opacity="0.85" />}
      <rect x="8" y="4" width="28" height="66" fill="none" stroke={colour.ink} strokeWidth="1.6" strokeDasharray={tank.content.value === null ? "3 3" : undefined} />
      <path d={`M2 ${y(tank.warn_l)} h6`} stroke={colour.clay} strokeWidth="2" />
      <path d={`M2 ${y(tank.empty_l)} h6`} stroke={colour.brick} strokeWidth="3" />
    </svg>
  );
}
