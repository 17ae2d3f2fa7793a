import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { readTarget, readTargets } from "../../api/client";
import { keys } from "../../api/keys";

const whileRunning = 500;

/** All targets, with the ETag that a change of one must send. */
export const useTargets = () => useQuery({ queryKey: keys.targets, queryFn: readTargets });

/** One target, looked at again and again while something is under way with it. */
export function useTarget(id: string) {
  return useQuery({
    queryKey: keys.target(id),
    queryFn: () => readTarget(id),
    refetchInterval: (query) => (query.state.data?.job?.running ? whileRunning : false),
  });
}

/** A deed after which targets, pools and points are asked for anew. */
export function useBackupDeed<Order, Result>(deed: (order: Order) => Promise<Result>, then?: (result: Result) => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: deed,
    onSuccess: async (result) => {
      await queries.invalidateQueries({ queryKey: keys.targets });
      then?.(result);
    },
  });
}
