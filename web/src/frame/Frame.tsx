import { lazy, Suspense, useCallback, useEffect, useState } from "react";
import { api, problemOf, type BedNow, type Me, type Watch } from "../api/client";
import { useLive } from "../api/live";
import { useWatch } from "../api/queries";
import { clock, dayName, sinceSunrise } from "../units/format";
import { WatchStage } from "../stages/watch/WatchStage";
import { AirBlock, TankBlock } from "./AirBlock";
import { DemoBar } from "./DemoBar";
import { goToHolding } from "./holding";
import { Keys } from "./Keys";
import { Path } from "./Path";
import { usePlace, type Place } from "./place";
import { ReedRow } from "./ReedRow";
import { Slip } from "./Slip";

const Calibrate = lazy(() => import("../stages/calibrate/Calibrate"));
const Water = lazy(() => import("../stages/water/Water"));
const LayOut = lazy(() => import("../stages/layout/LayOut"));
const HouseStop = lazy(() => import("./HouseStop"));
const Units = lazy(() => import("./Units"));
const Fit = lazy(() => import("../stages/fit/Fit"));

export interface StageProps {
  watch: Watch;
  bed: BedNow | null;
  mayChange: boolean;
  owner: boolean;
}

function Sheet({ stage, ...props }: StageProps & { stage: Place["stage"] }) {
  const key = props.bed?.id ?? "house";
  if (stage === "calibrate") return <Calibrate key={key} {...props} />;
  if (stage === "water") return <Water key={key} {...props} />;
  if (stage === "layout") return <LayOut key={key} {...props} />;
  if (stage === "fit") return <Fit key={key} {...props} />;
  if (stage === "watch") return <WatchStage key={key} {...props} />;
  return <p>This stage comes later. Choose another one on the path.</p>;
}

const wide = () => window.matchMedia("(min-width: 1100px)").matches;

/** Reed row, path, sheet and slip. */
export function Frame({ me, site, role }: { me: Me; site: number; role: string }) {
  const watch = useWatch(site);
  const link = useLive(site);
  const place = usePlace();
  const [slipOpen, setSlipOpen] = useState(wide);
  const [help, setHelp] = useState(false);
  const [units, setUnits] = useState(false);
  const [stopping, setStopping] = useState(false);
  const toggleSlip = useCallback((open?: boolean) => setSlipOpen((was) => open ?? !was), []);
  const bed = watch.data?.beds.find((b) => b.id === place.bed) ?? null;
  useEffect(() => {
    document.title = bed ? `Bed ${bed.name}, ${bed.crop} · Tall Reed` : "Tall Reed";
  }, [bed]);
  if (!watch.data) return <main className="sign-in">{watch.isError ? <p role="alert">{problemOf(watch.error)}</p> : <p>Opening the house…</p>}</main>;
  const w = watch.data;
  const mayChange = role !== "viewer";
  return (
    <div className={`frame ${slipOpen ? "with-slip" : "without-slip"} ${w.demo ? "with-demo" : ""}`}>
      <a href="#sheet" className="skip">Skip to the sheet</a>
      {w.demo && <DemoBar watch={w} mayChange={mayChange} />}
      <header className="top">
        <div className="who">
          <span className="brand">Tall Reed</span>
          {me.sites.length < 2 ? (
            <span className="site-name">{w.name}</span>
          ) : (
            <select className="site-name" aria-label="Holding" value={site} onChange={(e) => goToHolding(Number(e.target.value))}>
              {me.sites.map((s) => <option key={s.id} value={s.id}>{s.name}</option>)}
            </select>
          )}
          <time dateTime={w.now}>{dayName(w.now, w.time_zone)}, {clock(w.now, w.time_zone)}</time>
          {mayChange && w.beds.length > 0 && <button type="button" className="stop-house" onClick={() => setStopping(true)}>Stop…</button>}
          <span className="quiet">{sinceSunrise(w.now, w.sunrise)}{link === "polling" ? ", asking every 3 s" : ""}</span>
        </div>
        <ReedRow watch={w} place={place} />
        <AirBlock watch={w} bed={bed} />
        <TankBlock watch={w} />
      </header>
      <Path watch={w} place={place} />
      <main className="sheet" id="sheet" tabIndex={-1}>
        {watch.isError && <p role="alert" className="error">{problemOf(watch.error)} Numbers below are of {clock(w.now, w.time_zone)}.</p>}
        <Suspense fallback={<p className="quiet">Opening…</p>}>
          <Sheet stage={place.stage} watch={w} bed={bed} mayChange={mayChange} owner={role === "owner"} />
        </Suspense>
      </main>
      {slipOpen ? (
        <Slip watch={w} bed={bed} mayWrite={mayChange} onFold={() => setSlipOpen(false)} />
      ) : (
        <button type="button" className="slip-tab" onClick={() => setSlipOpen(true)}>‹ Why, lately</button>
      )}
      <footer className="foot">
        <span>{me.name}, {role}</span>
        <button type="button" className="quiet-button" onClick={() => setUnits(true)}>Units</button>
        <button type="button" className="quiet-button" onClick={() => setHelp(true)}>Keys</button>
        <button type="button" className="quiet-button"
          onClick={() => void api.POST("/api/session/sign-out/").then(() => window.location.assign("/"))}>
          Sign out
        </button>
      </footer>
      {units && <Suspense fallback={null}><Units units={me.units} onClose={() => setUnits(false)} /></Suspense>}
      {stopping && <Suspense fallback={null}><HouseStop watch={w} onClose={() => setStopping(false)} /></Suspense>}
      <Keys beds={w.beds} place={place} help={help} setHelp={setHelp} toggleSlip={toggleSlip} />
    </div>
  );
}
