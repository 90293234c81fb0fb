import { useLocation, useNavigate } from "react-router";

export const STAGES = [
  { code: "layout", name: "Lay out", built: true },
  { code: "fit", name: "Fit", built: true },
  { code: "calibrate", name: "Calibrate", built: true },
  { code: "feed", name: "Feed", built: false },
  { code: "water", name: "Water", built: true },
  { code: "watch", name: "Watch", built: true },
  { code: "review", name: "Review", built: false },
] as const;

export type Stage = (typeof STAGES)[number]["code"];

export interface Place {
  stage: Stage;
  bed: number | null;
}

/** Stage and chosen bed, as the address says. */
export function usePlace(): Place {
  const [, stage, bed] = useLocation().pathname.split("/");
  const known = STAGES.find((s) => s.code === stage)?.code ?? "watch";
  return { stage: known, bed: bed && /^\d+$/.test(bed) ? Number(bed) : null };
}

/** Go to a stage; the chosen bed stays chosen. */
export function useGo(): (stage: Stage, bed: number | null, part?: string) => void {
  const navigate = useNavigate();
  return (stage, bed, part) => void navigate(`/${stage}${bed === null ? "" : `/${bed}`}${part ? `?part=${part}` : ""}`);
}
