import { Link } from "react-router";
import type { Watch } from "../api/client";
import { STAGES, type Place } from "./place";

/** The seven stages in the order people work, as joints of one stem. */
export function Path({ watch, place }: { watch: Watch; place: Place }) {
  return (
    <nav className="path" aria-label="Stages">
      <ol>
        {STAGES.map((stage, i) => {
          const waiting = watch.jobs[stage.code] ?? 0;
          const here = stage.code === place.stage;
          if (!stage.built)
            return (
              <li key={stage.code} className="unbuilt">
                <span className="joint" aria-hidden="true" />
                <span className="key" aria-hidden="true">{i + 1}</span>
                <span>{stage.name}<span className="later"> comes later</span></span>
              </li>
            );
          return (
            <li key={stage.code} className={here ? "here" : ""}>
              <Link to={place.bed === null ? `/${stage.code}` : `/${stage.code}/${place.bed}`} aria-current={here ? "page" : undefined}>
                <span className="joint" aria-hidden="true" />
                <span className="key" aria-hidden="true">{i + 1}</span>
                <span>{stage.name}</span>
                {waiting > 0 && (
                  <span className="waiting" aria-label={`${waiting} waiting`}>{waiting > 99 ? "99+" : waiting}</span>
                )}
              </Link>
            </li>
          );
        })}
      </ol>
      <p className="hints">[ ] bed before, after<br />n note, ? all keys</p>
    </nav>
  );
}
