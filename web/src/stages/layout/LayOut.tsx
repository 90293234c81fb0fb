import { lazy, Suspense } from "react";
import { problemOf } from "../../api/client";
import { useLayout } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { Parts, usePart } from "../../frame/Parts";
import { PlanPart } from "./PlanPart";

const MediaPart = lazy(() => import("./MediaPart"));
const WaterPart = lazy(() => import("./WaterPart"));
const DrippersPart = lazy(() => import("./DrippersPart"));
const ElectricsPart = lazy(() => import("./ElectricsPart"));
const PaybackPart = lazy(() => import("./PaybackPart"));
const PeoplePart = lazy(() => import("./PeoplePart"));

const PARTS = [
  { code: "plan", name: "Houses and beds" },
  { code: "media", name: "Substrate" },
  { code: "water", name: "Water’s way" },
  { code: "drippers", name: "Drippers" },
  { code: "electrics", name: "Electrics" },
  { code: "payback", name: "Payback" },
  { code: "people", name: "People" },
] as const;

/** The holding as it is laid out, in the order one describes it. */
export default function LayOut(props: StageProps) {
  const layout = useLayout(props.watch.site);
  const [here, go] = usePart(PARTS);
  if (!layout.data) return layout.isError ? <p role="alert" className="error">{problemOf(layout.error)}</p> : <p className="quiet">Reading the plan…</p>;
  const l = layout.data;
  return (
    <>
      <Parts parts={PARTS} here={here} onGo={go} label="Parts of Lay out" />
      <Suspense fallback={<p className="quiet">Opening…</p>}>
        {here === "plan" && <PlanPart {...props} layout={l} go={go} />}
        {here === "media" && <MediaPart {...props} layout={l} />}
        {here === "water" && <WaterPart {...props} layout={l} />}
        {here === "drippers" && <DrippersPart {...props} layout={l} />}
        {here === "electrics" && <ElectricsPart {...props} />}
        {here === "payback" && <PaybackPart {...props} />}
        {here === "people" && <PeoplePart {...props} />}
      </Suspense>
    </>
  );
}
