import { lazy, Suspense, useState } from "react";
import type { Figure } from "../api/client";
import { inChosen } from "../units/choice";
import { age, fixed } from "../units/format";

const ArithmeticPanel = lazy(() => import("./ArithmeticPanel"));

interface Props {
  figure: Figure;
  now?: string;
  label: string;
  /** Show where it comes from and how old it is under the number. */
  source?: boolean;
  big?: boolean;
}

/** A number with unit, age and source; a click opens its arithmetic. */
export function Fig({ figure, now, label, source = false, big = false }: Props) {
  const [open, setOpen] = useState(false);
  const from = [figure.source, now && figure.at ? age(figure.at, now) : ""].filter(Boolean).join(", ");
  const shown = inChosen(figure.value, figure.unit, figure.digits);
  const text = (
    <>
      <span className={big ? "fig-big" : "fig"}>{fixed(shown.value, shown.digits)}</span>
      <span className="unit"> {shown.unit}</span>
    </>
  );
  return (
    <>
      {figure.formula ? (
        <button type="button" className="fig-button" title={`${label}: ${from}. Show the arithmetic`} onClick={() => setOpen(true)}>
          {text}
          <span className="visually-hidden">, {label}, show the arithmetic</span>
        </button>
      ) : (
        <span title={`${label}: ${from}`}>{text}</span>
      )}
      {source && <span className="source">{from || "no source"}</span>}
      {open && (
        <Suspense fallback={null}>
          <ArithmeticPanel figure={figure} label={label} from={from} onClose={() => setOpen(false)} />
        </Suspense>
      )}
    </>
  );
}
