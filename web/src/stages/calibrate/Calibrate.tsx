import { lazy, Suspense } from "react";
import { useSearchParams } from "react-router";
import { problemOf } from "../../api/client";
import { useToCalibrate } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { Parts, usePart } from "../../frame/Parts";
import { BenchView } from "./BenchView";
import { TargetList } from "./TargetList";

const BatchPart = lazy(() => import("./BatchPart"));
const TrialPart = lazy(() => import("./TrialPart"));
const TrustPart = lazy(() => import("./TrustPart"));
const CertificatePart = lazy(() => import("./CertificatePart"));

const PARTS = [
  { code: "bench", name: "Bench" },
  { code: "batch", name: "Many in one bucket" },
  { code: "trial", name: "Side by side" },
  { code: "trust", name: "Can I trust it" },
] as const;

/** Calibrate: the bench of the chosen bed's probe or of any channel, batches, trials, trust. */
export default function Calibrate(props: StageProps) {
  const targets = useToCalibrate(props.watch.site);
  const [here, go] = usePart([...PARTS, { code: "certificate", name: "" }]);
  const [search, setSearch] = useSearchParams();
  if (targets.isPending) return <p className="quiet">Reading the sensors…</p>;
  if (targets.isError && !targets.data) return <p role="alert" className="error">{problemOf(targets.error)}</p>;
  const rows = targets.data ?? [];
  const asked = search.get("target");
  const chosen = rows.find((t) => `${t.target}-${t.id}` === asked) ?? (props.bed && !search.get("all") ? rows.find((t) => t.bed === props.bed?.id && t.quantity === "raw") : undefined);
  const open = (target: string) => setSearch({ target });
  return (
    <>
      <Parts parts={PARTS} here={here} onGo={go} label="Parts of Calibrate" />
      <Suspense fallback={<p className="quiet">Opening…</p>}>
        {here === "bench" && (chosen ? <BenchView key={`${chosen.target}-${chosen.id}`} {...props} target={chosen} mates={rows.filter((t) => t.bed !== null && t.bed === chosen.bed)} onOpen={open} onAll={() => setSearch({ all: "1" })} /> : <TargetList rows={rows} bed={props.bed} onOpen={open} />)}
        {here === "batch" && <BatchPart {...props} rows={rows} />}
        {here === "trial" && <TrialPart {...props} rows={rows} />}
        {here === "trust" && <TrustPart {...props} rows={rows} />}
        {here === "certificate" && <CertificatePart version={Number(search.get("version"))} zone={props.watch.time_zone} />}
      </Suspense>
    </>
  );
}
