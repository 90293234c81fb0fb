import { useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useCallback, useEffect, useState } from "react";
import { useLocation } from "react-router";
import { ApiError, problemOf } from "../api/client";
import { useMe } from "../api/queries";
import { setUnits } from "../units/choice";
import { holdingOf } from "./holding";
import { Frame } from "./Frame";
import { SignIn } from "./SignIn";

const Welcome = lazy(() => import("./Welcome"));
const ProbePage = lazy(() => import("../stages/fit/ProbePage"));

/** Signed in or not; an ended session asks for the password over the page, which stays as it is. */
export function App() {
  const client = useQueryClient();
  const me = useMe();
  const [ended, setEnded] = useState(false);
  const onEnd = useCallback(() => setEnded(client.getQueryData(["me"]) !== undefined), [client]);
  useEffect(() => {
    const back = () => setEnded(false);
    window.addEventListener("reed:signed-out", onEnd);
    window.addEventListener("reed:signed-in", back);
    return () => {
      window.removeEventListener("reed:signed-out", onEnd);
      window.removeEventListener("reed:signed-in", back);
    };
  }, [onEnd]);
  const [, room, key] = useLocation().pathname.split("/");
  if (room === "welcome" && key) return <Suspense fallback={null}><Welcome token={key} /></Suspense>;
  if (me.isError && me.error instanceof ApiError && me.error.status === 401 && !me.data) return <SignIn />;
  if (me.isError && !me.data) return <main className="sign-in"><p role="alert">{problemOf(me.error)}</p></main>;
  if (!me.data) return <main className="sign-in"><p>Opening…</p></main>;
  setUnits(me.data.units);
  const site = me.data.sites.find((s) => s.id === holdingOf()) ?? me.data.sites[0];
  if (!site) return <main className="sign-in"><p>You have no holding yet. Ask its owner to add you.</p></main>;
  if (room === "probe" && key && /^\d+$/.test(key)) return <Suspense fallback={null}><ProbePage probe={Number(key)} /></Suspense>;
  return (
    <>
      <Frame key={me.data.units.filter((u) => u.chosen).map((u) => u.code).join() + site.id} me={me.data} site={site.id} role={site.role} />
      {ended && <div className="over-page"><SignIn expired /></div>}
    </>
  );
}
