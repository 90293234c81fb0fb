import { useEffect, useState } from "react";
import { ApiError, api, take, type Programme, type ProgrammeOut, type ProgrammeProblem } from "../../api/client";
import { useChange, useChecked } from "../../api/queries";

export const useSettled = <T,>(value: T, ms: number): T => {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(value), ms);
    return () => window.clearTimeout(timer);
  }, [value, ms]);
  return settled;
};

const drafts = new Map<number, { body: Programme; number: number }>();

/** The draft of a bed's programme. It is kept while one looks at other parts and beds, until it is published or put back. */
export function useDraft(bed: number, programme: ProgrammeOut) {
  const published = programme.published as { body: Programme; number: number } | null;
  const first = programme.schools[0]?.body as Programme;
  const base = published?.number ?? 0;
  const [held, setHeld] = useState(() => drafts.get(bed) ?? { body: published?.body ?? first, number: base });
  const put = (next: { body: Programme; number: number } | null) => {
    if (next) drafts.set(bed, next);
    else drafts.delete(bed);
    setHeld(next ?? { body: published?.body ?? first, number: base });
  };
  const checked = useChecked(bed, useSettled(held.body, 350));
  const publish = useChange(
    () => take(api.POST("/api/beds/{bed_id}/programme/publish/", { params: { path: { bed_id: bed } }, body: held })),
    "programme", "watch", "slip", "ribbon", "lines", "shared",
  );
  const refused = publish.error instanceof ApiError ? publish.error.errors.map((e): ProgrammeProblem => ({ field: e.field, message: e.message, nearest: null })) : [];
  const found = (checked.data?.problems ?? []) as ProgrammeProblem[];
  return {
    draft: held.body,
    number: held.number,
    base,
    changed: published === null || JSON.stringify(held.body) !== JSON.stringify(published.body),
    others: held.number !== base,
    checked: checked.data,
    problems: (fresh: ProgrammeProblem[] | null): ProgrammeProblem[] => {
      const known = fresh ?? found;
      return [...known, ...refused.filter((r) => !known.some((f) => f.field === r.field))];
    },
    publish,
    change: (body: Programme) => {
      publish.reset();
      put({ body, number: held.number });
    },
    reset: () => {
      publish.reset();
      put(null);
    },
    rebase: () => put({ body: held.body, number: base }),
    done: (number: number) => {
      drafts.delete(bed);
      setHeld({ body: held.body, number });
    },
  };
}

export type Draft = ReturnType<typeof useDraft>;
