import { lazy, Suspense } from "react";
import { useSearchParams } from "react-router";
import { problemOf } from "../../api/client";
import { useNodes } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { Parts, usePart } from "../../frame/Parts";
import { NodesPart } from "./NodesPart";

const ChoosePart = lazy(() => import("./ChoosePart"));
const PlacePart = lazy(() => import("./PlacePart"));
const ProveSensor = lazy(() => import("./ProveSensor"));
const ProveActuator = lazy(() => import("./ProveActuator"));
const BusPart = lazy(() => import("./BusPart"));
const SheetPart = lazy(() => import("./SheetPart"));

const PARTS = [
  { code: "nodes", name: "Nodes" },
  { code: "choose", name: "Choose a sensor" },
  { code: "place", name: "Place it" },
  { code: "prove", name: "Prove it" },
  { code: "bus", name: "Bus bench" },
  { code: "sheet", name: "Sheets" },
] as const;

/** Sensors and devices put in, linked and proven. */
export default function Fit(props: StageProps) {
  const nodes = useNodes(props.watch.site);
  const [search] = useSearchParams();
  const [here, go] = usePart(PARTS);
  if (!nodes.data) return nodes.isError ? <p role="alert" className="error">{problemOf(nodes.error)}</p> : <p className="quiet">Asking the nodes…</p>;
  const device = Number(search.get("device") ?? 0);
  return (
    <>
      <Parts parts={PARTS} here={here} onGo={go} label="Parts of Fit" />
      <Suspense fallback={<p className="quiet">Opening…</p>}>
        {here === "nodes" && <NodesPart {...props} nodes={nodes.data} />}
        {here === "choose" && <ChoosePart {...props} />}
        {here === "place" && <PlacePart {...props} nodes={nodes.data} />}
        {here === "prove" && (device ? <ProveActuator key={device} {...props} nodes={nodes.data} device={device} /> : <ProveSensor {...props} nodes={nodes.data} channel={Number(search.get("channel") ?? 0)} />)}
        {here === "bus" && <BusPart {...props} nodes={nodes.data} />}
        {here === "sheet" && <SheetPart {...props} nodes={nodes.data} node={Number(search.get("node") ?? 0)} />}
      </Suspense>
    </>
  );
}
