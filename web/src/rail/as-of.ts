import { useEstate } from "../estate-context";
import { useAddress } from "../ui/address";

/** The as-of day, kept in the address (?on=), and ways to move it by months. */
export function useAsOf(months: string[]) {
  const { estate } = useEstate();
  const { params, set, now } = useAddress();
  const placeOf = (on: string | null) => (on === null ? 0 : Math.max(0, months.indexOf(on.slice(0, 7))));
  const goTo = (index: number) => {
    const to = Math.min(Math.max(index, 0), months.length - 1);
    set("on", to === 0 ? null : `${months[to]}-01`);
  };
  const goBy = (by: number) => goTo(placeOf(now().get("on")) + by);
  const on = params.get("on");
  return { day: on ?? estate.today, projected: on !== null && on > estate.today, at: placeOf(on), goTo, goBy };
}
