import { type KeyboardEvent, type PointerEvent, useState } from "react";

/**
 * Reads a chart along its axis: by pointing, or from the keyboard with the arrows, a page at a time, and to its ends.
 * What was read last stays, so that its amounts can be gone to.
 * @param last The last place; the first is 0.
 * @param usual Where reading stands until somebody reads.
 * @param page How many places a page is.
 * @param placeAt The place at a horizontal position in the chart, in pixels.
 */
export function useChartReading(last: number, usual: number, page: number, placeAt: (x: number) => number) {
  const [reading, setReading] = useState<number | null>(null);
  const within = (place: number) => Math.round(Math.min(last, Math.max(0, place)));
  const at = within(reading ?? usual);
  return {
    at,
    isRead: reading !== null,
    /** For the element that is read. */
    handlers: {
      onKeyDown: (event: KeyboardEvent) => {
        const by = { ArrowLeft: -1, ArrowRight: 1, PageUp: page, PageDown: -page, Home: -last, End: last }[event.key];
        if (by === undefined) return;
        event.preventDefault();
        setReading(within(at + by));
      },
      onPointerMove: (event: PointerEvent) =>
        setReading(within(placeAt(event.clientX - event.currentTarget.getBoundingClientRect().left))),
    },
  };
}
