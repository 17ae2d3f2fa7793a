import { useQuery } from "@tanstack/react-query";
import { readDevices } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day } from "../../format";

/** How full the devices of a place of one's own are, by class, and the day on which they are full. */
export function Devices({ region }: { region?: string }) {
  const { bytes, regionName } = useEstate();
  const devices = useQuery({ queryKey: keys.devices, queryFn: readDevices });
  const own = devices.data?.filter((d) => region === undefined || d.region === region) ?? [];
  if (own.length === 0) return null;
  return (
    <section aria-label="Devices" className="mt-8 max-w-4xl">
      <h2 className="text-xl">Devices of our own</h2>
      <table className="mt-1 w-full">
        <thead className="text-left text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            {region === undefined && <th className="py-1 font-normal">place</th>}
            <th className="py-1 font-normal">class</th>
            <th className="text-right font-normal">devices</th>
            <th className="text-right font-normal">raw</th>
            <th className="text-right font-normal">taken, raw</th>
            <th className="w-32 pl-4 font-normal">
              <span className="sr-only">as a picture</span>
            </th>
            <th className="text-right font-normal">stored</th>
            <th className="text-right font-normal">could be stored</th>
            <th className="pl-6 font-normal">full on</th>
          </tr>
        </thead>
        <tbody>
          {own.map((d) => (
            <tr key={d.region + d.class} className="border-b border-hairline">
              {region === undefined && <td className="py-1 pr-4">{regionName(d.region)}</td>}
              <th scope="row" className="py-1 text-left font-normal">
                {d.class}
              </th>
              <td className="text-right">{count(d.count)}</td>
              <td className="text-right">{bytes(d.rawBytes)}</td>
              <td className="text-right">{bytes(d.usedRawBytes)}</td>
              <td className="pl-4">
                <span aria-hidden="true" className="block h-2 border border-ink-soft">
                  <span
                    className={`block h-full ${d.usedRawBytes > d.rawBytes ? "bg-bad" : "bg-accent"}`}
                    style={{ width: `${Math.min(100, (100 * d.usedRawBytes) / d.rawBytes)}%` }}
                  />
                </span>
              </td>
              <td className="text-right">{bytes(d.storedBytes)}</td>
              <td className="text-right">{d.usableBytes == null ? "–" : bytes(d.usableBytes)}</td>
              <td className="pl-6">
                {d.fullOn == null ? (
                  <span className="text-ink-soft">not in ten years</span>
                ) : (
                  <span className="figure-projected">{day(d.fullOn)}</span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-sm text-ink-soft">
        Raw is what the devices hold; what could be stored is that in the mix of redundancy schemes that lies on them now. The day
        is the projection's.
      </p>
    </section>
  );
}
