import type { StageProps } from "../../frame/Frame";
import { WatchBed } from "./WatchBed";
import { WatchHouse } from "./WatchHouse";

export function WatchStage(props: StageProps) {
  return props.bed ? <WatchBed {...props} bed={props.bed} /> : <WatchHouse {...props} />;
}
