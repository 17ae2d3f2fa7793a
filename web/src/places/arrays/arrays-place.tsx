import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { readArrays } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";

/** The organisation's own storage arrays, what they hold and what has left them. */
export function ArraysPlace() {
  usePageTitle("Local arrays");
  const { money, bytes, regionName } = useEstate();
  const arrays = useQuery({ queryKey: keys.arrays, queryFn: readArrays });
  const all = arrays.data?.value.arrays ?? [];
  return (
    <div className="px-6 pb-24">
      <h1 className="pt-5 text-3xl">Local arrays</h1>
      <p className="mt-2 max-w-3xl text-ink-soft">
        Storage of one's own whose data can leave for a bucket when nobody has used it for long. It is no backup: what left is in
        the bucket and nowhere else.
      </p>
      {arrays.error && <ErrorNote error={arrays.error} />}
      {arrays.data && all.length === 0 && (
        <p className="mt-4">
          There is none in this estate. Arrays come with the estate document (<code>arrays</code>), or with{" "}
          <code>PUT /api/arrays</code>.
        </p>
      )}
      {all.length > 0 && (
        <table className="mt-4 w-full">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">array</th>
              <th className="font-normal">stands in</th>
              <th className="font-normal">leaves to</th>
              <th className="text-right font-normal">used</th>
              <th className="text-right font-normal">of</th>
              <th className="text-right font-normal">leaves tonight</th>
              <th className="text-right font-normal">away</th>
              <th className="text-right font-normal">saved a month</th>
            </tr>
          </thead>
          <tbody>
            {all.map((a) => (
              <tr key={a.id} className="border-b border-hairline">
                <th className="py-1.5 text-left font-normal">
                  <Link to={`/arrays/${a.id}`}>{a.name}</Link>
                </th>
                <td>{regionName(a.region)}</td>
                <td>{a.bucket == null ? "nowhere" : <Link to={`/buckets/${a.bucket}`}>{a.bucket}</Link>}</td>
                <td className="text-right">{bytes(a.homeBytes)}</td>
                <td className="text-right">{bytes(a.capacityBytes)}</td>
                <td className="text-right">{bytes(a.bucket == null ? 0 : a.leavingBytes)}</td>
                <td className="text-right">{bytes(a.awayBytes)}</td>
                <td className="text-right">{money(a.savedAMonth)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
