import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { readCopies } from "../../api/client";

/** Regions, rules, lines and proofs as they stand, with the ETag that a change of rules must send. */
export const useReplication = () => useQuery({ queryKey: ["replication"], queryFn: readCopies });

/** A deed after which everything on the page is asked for anew. */
export function useDeed<Order, Result>(deed: (order: Order) => Promise<Result>, then?: (result: Result) => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: deed,
    onSuccess: async (result) => {
      await queries.invalidateQueries();
      then?.(result);
    },
  });
}
