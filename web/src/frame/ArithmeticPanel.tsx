import { useQuery } from "@tanstack/react-query";
import { Drawer } from "antd";
import { api, problemOf, take, type Figure } from "../api/client";
import { fixed } from "../units/format";

/** How the core names the unit of a curve, which gives whatever it was captured for. */
const OWN_UNIT = "in its own unit";

interface Props {
  figure: Figure;
  label: string;
  from: string;
  onClose: () => void;
}

/** The formula behind a figure with the values put in, served from the core's registry. */
export default function ArithmeticPanel({ figure, label, from, onClose }: Props) {
  const worked = useQuery({
    queryKey: ["arithmetic", figure.formula, figure.inputs],
    queryFn: () => take(api.POST("/api/arithmetic/", { body: { formula: figure.formula ?? "", inputs: figure.inputs ?? {} } })),
    staleTime: Infinity,
  });
  const a = worked.data;
  return (
    <Drawer open onClose={onClose} title={a?.title ?? label} size={420} className="arithmetic">
      {worked.isPending && <p>Working it out…</p>}
      {worked.isError && <p role="alert">{problemOf(worked.error)}</p>}
      {a && (
        <>
          <p className="formula">{a.expression}</p>
          <p className="formula quiet">= {a.substituted}</p>
          <p className="formula result">
            = {fixed(a.value, Math.max(a.digits, 1))} {a.unit === OWN_UNIT ? figure.unit : a.unit}
          </p>
          <dl className="inputs">
            {a.inputs.map((i) => (
              <div key={i.symbol}>
                <dt>
                  <b>{i.symbol}</b> {i.meaning}
                </dt>
                <dd>
                  {fixed(i.value, i.digits)} {i.unit}
                </dd>
              </div>
            ))}
          </dl>
          <p className="quiet">Value from: {from || "the description of the bed"}.</p>
          <p className="quiet">Formula: {a.source}.</p>
          {a.note && <p className="quiet">{a.note}</p>}
        </>
      )}
    </Drawer>
  );
}
