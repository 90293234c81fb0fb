import { Drawer, Form } from "antd";
import { useState } from "react";
import { api, problemOf, take, type Me } from "../api/client";
import { useChange } from "../api/queries";
import { ChoiceField } from "./Field";

const NAMES: Record<string, string> = {
  water: "A bed's water, first as", temperature: "Temperature", pressure: "Vapour pressure and suction", conductivity: "Conductivity", length: "Lengths",
};

/** The units a person reads and types in; they go with the person to every screen. */
export default function Units({ units, onClose }: { units: Me["units"]; onClose: () => void }) {
  const start = Object.fromEntries(units.filter((u) => u.chosen).map((u) => [u.quantity, u.code]));
  const [form, setForm] = useState(start);
  const save = useChange(() => take(api.PUT("/api/session/units/", { body: { units: form } })), "me");
  return (
    <Drawer open size={420} title="Units you read in" onClose={onClose}
      footer={<button type="button" className="button primary" disabled={save.isPending} onClick={() => save.mutate(undefined, { onSuccess: onClose })}>Keep these units</button>}>
      <Form layout="vertical" component="div">
      {Object.keys(NAMES).map((quantity) => (
        <ChoiceField key={quantity} label={NAMES[quantity] ?? quantity} value={form[quantity] ?? null} onChange={(code) => setForm({ ...form, [quantity]: code })}
          options={units.filter((u) => u.quantity === quantity).map((u) => ({ value: u.code, label: u.label }))} />
      ))}
      </Form>
      {save.isError && <p role="alert" className="error">{problemOf(save.error)}</p>}
      <p className="quiet">The record keeps °C, kPa, mS/cm at 25 °C and cm; formulas are shown in those. A ppm figure is worth nothing without its scale, so the scale stays beside it.</p>
    </Drawer>
  );
}
