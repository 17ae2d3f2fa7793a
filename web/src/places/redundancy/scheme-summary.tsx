import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { readSchemes } from "../../api/client";
import { nines, survives } from "./promise";

/** What a scheme of the price book promises, in a line, with the way to compare it. */
export function SchemeSummary({ id, compare = true }: { id: string; compare?: boolean }) {
  const promise = useQuery({ queryKey: ["schemes"], queryFn: readSchemes }).data?.find((p) => p.scheme.id === id);
  if (!promise) return null;
  return (
    <>
      {survives(promise)} · {nines(promise)}
      {promise.doubts.length > 0 && <span className="text-bad"> · less than its name says</span>}
      {compare && (
        <>
          {" "}
          · <Link to="/schemes">compare</Link>
        </>
      )}
    </>
  );
}
