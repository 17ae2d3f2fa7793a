import { useQuery } from "@tanstack/react-query";
import { bundleMemberAddress, readBundle } from "../../../api/client";
import { keys } from "../../../api/keys";
import { useEstate } from "../../../estate-context";
import { count, moment } from "../../../format";
import { ErrorNote } from "../../../ui/error-note";
import { useCapped } from "../../../ui/use-capped";

export const isBundle = (key: string) => key.endsWith(".bundle.tar");

/** What lies in a bundle; each is read by a range of it. */
export function BundleMembers({ bucket, name }: { bucket: string; name: string }) {
  const { bytes } = useEstate();
  const index = useQuery({ queryKey: keys.bundle(bucket, name), queryFn: () => readBundle(bucket, name), retry: false });
  const members = index.data?.members ?? [];
  const { shown, more } = useCapped(members, 50);
  return (
    <section aria-label="Objects in the bundle" className="mt-4">
      <h3 className="text-lg">{index.data ? `${count(members.length)} objects in it` : "Objects in it"}</h3>
      {index.error && <ErrorNote error={index.error} />}
      <ul>
        {shown.map((m) => (
          <li key={m.key} className="flex items-baseline gap-4 border-t border-hairline py-1">
            <a href={bundleMemberAddress(bucket, name, m.key)} download className="wrap-anywhere">
              {m.key}
            </a>
            <span className="ml-auto whitespace-nowrap">{bytes(m.bytes)}</span>
            <span className="text-sm whitespace-nowrap text-ink-soft">{moment(m.written)}</span>
          </li>
        ))}
      </ul>
      {more}
    </section>
  );
}
