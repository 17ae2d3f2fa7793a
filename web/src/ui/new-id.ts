/** An id that none of a list has, with the first free number. */
export function newId(of: string, list: { id: string }[]): string {
  for (let i = list.length + 1; ; i++) if (list.every((o) => o.id !== `${of}-${i}`)) return `${of}-${i}`;
}
