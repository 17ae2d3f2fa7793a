import { useMemo } from "react";
import type { Problem } from "../api/client";

/** What is wrong at a JSON path of the draft, if anything. */
export function useProblems(problems: Problem[] | undefined) {
  return useMemo(() => {
    const byPath = new Map<string, string>();
    for (const problem of problems ?? [])
      byPath.set(problem.path, byPath.has(problem.path) ? `${byPath.get(problem.path)} ${problem.message}` : problem.message);
    return (path: string) => byPath.get(path);
  }, [problems]);
}

export type ProblemAt = ReturnType<typeof useProblems>;
