import { useSearchParams } from "react-router";
import { useEstate } from "../estate-context";

/** The as-of day, kept in the address (?on=), and ways to move it by months. */
export function useAsOf(months: string[]) {
  const { estate } = useEstate();
  const [search, setSearch] = useSearchParams();
  const on = search.get("on");
  const at = on === null ? 0 : Math.max(0, months.indexOf(on.slice(0, 7)));
  const goTo = (index: number) => {
    const to = Math.min(Math.max(index, 0), months.length - 1);
    setSearch(
      (now) => {
        const next = new URLSearchParams(now);
        if (to === 0) next.delete("on");
        else next.set("on", `${months[to]}-01`);
        return next;
      },
      { replace: true },
    );
  };
  return { day: on ?? estate.today, projected: on !== null && on > estate.today, at, goTo };
}
