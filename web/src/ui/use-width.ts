import { type RefObject, useLayoutEffect, useRef, useState } from "react";

/** The width of an element in pixels, kept up to date; 0 until it is known. */
export function useWidth<T extends Element>(): [RefObject<T | null>, number] {
  const ref = useRef<T>(null);
  const [width, setWidth] = useState(0);
  useLayoutEffect(() => {
    if (!ref.current) return;
    const observer = new ResizeObserver(([entry]) => setWidth(Math.floor(entry?.contentRect.width ?? 0)));
    setWidth(Math.floor(ref.current.getBoundingClientRect().width));
    observer.observe(ref.current);
    return () => observer.disconnect();
  }, []);
  return [ref, width];
}
