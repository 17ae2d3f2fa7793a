/** A straight scale from one range to another, and back; the first page needs no more than this of a drawing library. */
export function linear([from, to]: [number, number], [start, end]: [number, number]) {
  const slope = to === from ? 0 : (end - start) / (to - from);
  const at = (value: number) => start + (value - from) * slope;
  at.invert = (place: number) => (slope === 0 ? from : from + (place - start) / slope);
  return at;
}
