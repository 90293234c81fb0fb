import { Modal } from "antd";
import { useCallback, useState } from "react";
import { ApiError, api, problemOf, take, type Schemas } from "../../api/client";
import { useChange, useDevices } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { HoldButton } from "../../frame/HoldButton";
import { age, clock, fixed } from "../../units/format";
import { InPlace, Pick } from "./InPlace";
import type { Shape } from "./settings";

type Line = Schemas["DeviceLine"];
type Card = Schemas["KindCard"];
type Settings = Required<Schemas["DeviceSettings"]>;

const NAMES: Record<string, string> = { heater: "a heater", fan: "a fan", vent: "a vent step", circulation: "circulation", misting: "misting", lamp: "lamps", co2: "a CO₂ valve" };

/** Other devices by simple rules: each a sentence, how it stands now and why, and by hand for a while. */
export default function DevicesPart({ watch, mayChange }: StageProps) {
  const devices = useDevices(watch.site);
  const [asking, setAsking] = useState<{ line: Line; on: boolean } | null>(null);
  const [hours, setHours] = useState(1);
  const hand = useChange(
    ({ line, on, minutes }: { line: Line; on: boolean; minutes: number }) => take(api.POST("/api/devices/{actuator_id}/by-hand/", { params: { path: { actuator_id: line.actuator } }, body: { on, minutes } })),
    "devices", "slip",
  );
  if (!devices.data) return devices.isError ? <p role="alert" className="error">{problemOf(devices.error)}</p> : <p className="quiet">Asking the devices…</p>;
  const { devices: lines, kinds, conflicts } = devices.data;
  const ruled = lines.filter((l) => l.settings);
  return (
    <>
      <h1>Other devices, by simple rules</h1>
      <p className="lead">
        {lines.length === 0 ? "No contact is fitted yet. Heaters, fans, vents, lamps and the like hang on a contact of a node: add one in Fit." : `${ruled.filter((l) => l.on).length} of ${ruled.length} ${ruled.length === 1 ? "device is" : "devices are"} on. ${lines.length - ruled.length > 0 ? `${lines.length - ruled.length} without a rule.` : ""}`} {watch.tanks.map((t) => `${t.name}: ${fixed(t.content.value, 0)} L, ${t.words}.`).join(" ")}
      </p>
      {conflicts.map((c) => <p key={c} role="alert" className="error">{c}</p>)}
      {lines.map((l) => (
        <section key={l.actuator} className="device-rule" aria-label={l.name}>
          <div className="section-head">
            <h2>{l.name}</h2>
            <span className="quiet">{l.node}{l.house_name && `, ${l.house_name}`}; {l.starts_today} starts, {fixed(l.hours_today, 1)} h today; {l.starts_ever} starts, {fixed(l.hours_ever, 1)} h on record</span>
          </div>
          {l.settings && (
            <p role="status">
              <b>{l.on ? "On" : "Off"}</b>{l.since ? `, since ${age(l.since, watch.now)}` : ""}. {l.manual_until ? `${l.manual_by} put it so, until ${clock(l.manual_until, watch.time_zone)}; then its rule acts again.` : l.why}
            </p>
          )}
          {!l.settings && mayChange && <Hold actuator={l.actuator} name={l.name} />}
          <RuleSentence line={l} kinds={kinds} watch={watch} mayChange={mayChange} />
          {mayChange && l.settings && (
            <div className="actions">
              {l.manual_until ? (
                <button type="button" className="button" onClick={() => hand.mutate({ line: l, on: false, minutes: 0 })}>Back to its rule</button>
              ) : (
                <>
                  <button type="button" className="button" onClick={() => setAsking({ line: l, on: true })}>On by hand</button>
                  <button type="button" className="button" onClick={() => setAsking({ line: l, on: false })}>Off by hand</button>
                </>
              )}
            </div>
          )}
        </section>
      ))}
      {hand.isError && <p role="alert" className="error">{problemOf(hand.error)}</p>}
      <Modal open={asking !== null} title={asking ? `${asking.line.name}: ${asking.on ? "on" : "off"} by hand` : ""} okText={asking?.on ? "Put it on" : "Put it off"} cancelText="Leave it" confirmLoading={hand.isPending} onCancel={() => setAsking(null)}
        onOk={() => asking && hand.mutate({ line: asking.line, on: asking.on, minutes: Math.round(hours * 60) }, { onSettled: () => setAsking(null) })}>
        <p>
          For <input className="hand-number" aria-label="Hours by hand" inputMode="decimal" value={hours} onChange={(e) => setHours(Number(e.target.value.replace(",", ".")) || 0)} /> hours, twelve at most; then its rule acts again by itself. Each order ends by itself within minutes, so a dead server means off.{" "}
          {asking?.on && kinds.find((k) => k.kind === asking.line.settings?.kind)?.caution}
        </p>
      </Modal>
    </>
  );
}

/** A contact without a rule, run while a button is held: the drain valve of an overfull tank, for one. */
function Hold({ actuator, name }: { actuator: number; name: string }) {
  const hold = useCallback(() => api.POST("/api/devices/{actuator_id}/hold/", { params: { path: { actuator_id: actuator } } }), [actuator]);
  const letGo = useCallback(() => api.POST("/api/devices/{actuator_id}/release/", { params: { path: { actuator_id: actuator } } }), [actuator]);
  return (
    <>
      <p className="quiet">It has no rule. It runs only while you hold, three seconds at a time, and ends by itself when you let go, close the page or lose the network. Local rules say where drained feed may go.</p>
      <HoldButton label={`Hold to run: ${name}`} onHold={hold} onLetGo={letGo} />
    </>
  );
}

const shape = (unit: string, digits = 0): Shape => ({ unit, digits, scale: 1 });
const CLOCK: Shape = { unit: "", digits: 0, scale: 1, clock: true };

function RuleSentence({ line, kinds, watch, mayChange }: { line: Line; kinds: Card[]; watch: StageProps["watch"]; mayChange: boolean }) {
  const held = line.settings as Settings | null;
  const [draft, setDraft] = useState<Settings | null>(held);
  const [house, setHouse] = useState(line.house ?? watch.air[0]?.house ?? 0);
  const publish = useChange(
    () => take(api.POST("/api/devices/{actuator_id}/rule/", { params: { path: { actuator_id: line.actuator } }, body: { house, settings: draft ?? ({} as Settings), number: line.number } })),
    "devices", "slip",
  );
  const card = kinds.find((k) => k.kind === draft?.kind);
  const errors = publish.error instanceof ApiError ? publish.error.errors : [];
  const changed = JSON.stringify(draft) !== JSON.stringify(held) || house !== line.house;
  const number = (name: Exclude<keyof Settings, "kind">, s: Shape, label: string) => draft && (
    <InPlace value={draft[name]} shape={s} label={label} disabled={!mayChange} problem={errors.find((e) => e.field === `settings.${name}` || e.field === name)?.message} onChange={(v) => {
      publish.reset();
      setDraft({ ...draft, [name]: v });
    }} />
  );
  const unit = card?.unit ?? "";
  const digits = unit === "kPa" ? 2 : unit === "ppm" ? 0 : 1;
  return (
    <div className="sentence">
      <p>
        It is{" "}
        <Pick label="Kind of device" value={draft?.kind ?? ("" as Settings["kind"])} disabled={!mayChange} onChange={(kind) => {
          const found = kinds.find((k) => k.kind === kind);
          publish.reset();
          if (found) setDraft(found.proposed as Settings);
        }} options={[...(draft ? [] : [{ value: "" as Settings["kind"], text: "nothing yet; choose" }]), ...kinds.map((k) => ({ value: k.kind, text: NAMES[k.kind] ?? k.kind }))]} />{" "}
        in <Pick label="House" value={String(house)} disabled={!mayChange} onChange={(v) => setHouse(Number(v))} options={watch.air.map((h) => ({ value: String(h.house), text: h.name }))} />.{" "}
        {draft && ["heater", "fan", "vent"].includes(draft.kind) && <>It {draft.kind === "heater" ? "warms to" : "cools to"} {number("day", shape(unit, digits), "Day set point")} by day and {number("night", shape(unit, digits), "Night set point")} by night, with a dead-band of {number("dead_band", shape(unit, digits), "Dead-band")}. {draft.kind === "heater" ? "Never with a vent open." : draft.kind === "vent" ? "Never while the heater runs." : ""}</>}
        {draft?.kind === "misting" && <>By day it mists above a VPD of {number("day", shape(unit, digits), "VPD set point")}, with a dead-band of {number("dead_band", shape(unit, digits), "Dead-band")}; never overnight.</>}
        {draft?.kind === "co2" && <>In daylight and with the vents shut it doses up to {number("day", shape(unit, digits), "CO2 set point")}, with a dead-band of {number("dead_band", shape(unit, digits), "Dead-band")}.</>}
        {draft?.kind === "circulation" && <>It runs {number("on_min", shape("min"), "Minutes on")} of every {number("every_min", shape("min"), "Round in minutes")}.</>}
        {draft?.kind === "lamp" && <>Between {number("from_min", CLOCK, "Lamps from")} and {number("until_min", CLOCK, "Lamps until")} it burns while less than {number("above_w_m2", shape("W/m²"), "Light above which lamps stay off")} come in, until the day has {number("target_mol", shape("mol/m²", 1), "Light wanted a day")} (0 for no target).</>}
        {draft && <> At least {number("min_on_min", shape("min"), "Minimum on time")} on and {number("min_off_min", shape("min"), "Minimum off time")} off.</>}
      </p>
      {errors.length > 0 && <ul className="error" role="alert">{errors.map((e) => <li key={e.message}>{e.message}</li>)}</ul>}
      {draft && <p className="quiet caution">{card?.caution}</p>}
      {mayChange && draft && changed && <button type="button" className="button primary" disabled={publish.isPending} onClick={() => publish.mutate(undefined)}>Publish this rule</button>}
    </div>
  );
}
