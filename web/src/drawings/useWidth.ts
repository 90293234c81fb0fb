import { useEffect, useRef, useState } from "react";

/** The width of an element, followed. */
export function useWidth<T extends HTMLElement>(start: number): [React.RefObject<T | null>, number] {
  const ref = useRef<T>(null);
  const [width, setWidth] = useState(start);
  useEffect(() => {
    if (!ref.current) return;
    const observer = new ResizeObserver((entries) => {
      const seen = entries[0]?.contentRect.width;
      if (seen) setWidth(Math.round(seen));
    });
    observer.observe(ref.current);
    return () => observer.disconnect();
  }, []);
  return [ref, width];
}
