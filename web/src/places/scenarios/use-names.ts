import { useQuery } from "@tanstack/react-query";
import { readOffers } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";

/** The estate, and what its offers are called. */
export function useNames() {
  const { data } = useQuery({ queryKey: keys.offers, queryFn: readOffers });
  const offers = data?.value.offers ?? [];
  return { ...useEstate(), offers, offerName: (id: string) => offers.find((o) => o.id === id)?.name ?? id };
}
