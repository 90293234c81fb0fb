import { useCallback, useEffect, useRef, useState } from "react";
import { problemOf } from "../api/client";

interface Props {
  label: string;
  /** Run for a few seconds more. Must stay the same function while held: the button lets go when it changes. */
  onHold: () => Promise<unknown>;
  onLetGo: () => Promise<unknown>;
}

/** Runs while held: asks the server every second; letting go, leaving or losing focus stops it at once. */
export function HoldButton({ label, onHold, onLetGo }: Props) {
  const [held, setHeld] = useState(false);
  const [problem, setProblem] = useState("");
  const timer = useRef<number | null>(null);
  const ask = useCallback(async () => {
    try {
      await onHold();
      setProblem("");
    } catch (error) {
      setProblem(problemOf(error));
    }
  }, [onHold]);
  const letGo = useCallback(() => {
    if (timer.current === null) return;
    window.clearInterval(timer.current);
    timer.current = null;
    setHeld(false);
    void onLetGo().catch((error: unknown) => setProblem(problemOf(error)));
  }, [onLetGo]);
  const press = () => {
    if (timer.current !== null) return;
    setHeld(true);
    void ask();
    timer.current = window.setInterval(() => void ask(), 1_000);
  };
  useEffect(() => {
    const hidden = () => {
      if (document.hidden) letGo();
    };
    document.addEventListener("visibilitychange", hidden);
    window.addEventListener("blur", letGo);
    window.addEventListener("pagehide", letGo);
    return () => {
      document.removeEventListener("visibilitychange", hidden);
      window.removeEventListener("blur", letGo);
      window.removeEventListener("pagehide", letGo);
      letGo();
    };
  }, [letGo]);
  return (
    <>
      <button type="button" className={`hold ${held ? "held" : ""}`} aria-pressed={held} onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        press();
      }} onPointerUp={letGo} onPointerCancel={letGo} onLostPointerCapture={letGo} onContextMenu={(e) => e.preventDefault()}
        onKeyDown={(e) => {
          if (e.key !== " " && e.key !== "Enter") return;
          e.preventDefault();
          if (!e.repeat) press();
        }} onKeyUp={letGo}>
        {held ? "Running while you hold" : label}
      </button>
      {problem && <p role="alert" className="error">{problem}</p>}
    </>
  );
}
