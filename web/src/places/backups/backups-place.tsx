import { Link } from "react-router";
import type { TargetReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { NewTarget } from "./new-target";
import { useTargets } from "./use-backups";

/** Where backups go: every target with its place and what its pool holds. */
export function BackupsPlace() {
  usePageTitle("Backups");
  const targets = useTargets();
  const { regionName, bytes } = useEstate();
  if (targets.error && !targets.data) return <ErrorPage what="Backups" error={targets.error} />;
  if (!targets.data) return <div className="h-96" />;
  const { value, etag } = targets.data;
  return (
    <div className="px-6 pb-24">
      <h1 className="pt-5 text-3xl">Backups</h1>
      <p className="mt-1 max-w-3xl text-ink-soft">
        A backup target is a pool of deduplicated, compressed and encrypted content below a prefix of a bucket. What lies in it is
        metered, copied, aged and kept like everything else there.
      </p>
      {value.targets.length > 0 && (
        <table className="mt-5 w-full">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">target</th>
              <th className="font-normal">lies in</th>
              <th className="font-normal">pool</th>
              <th className="text-right font-normal">objects</th>
              <th className="text-right font-normal">stored</th>
            </tr>
          </thead>
          <tbody>
            {value.targets.map((t) => (
              <tr key={t.target.id} className="border-b border-hairline">
                <th scope="row" className="py-2 text-left font-serif text-lg font-medium">
                  <Link to={`/backups/${t.target.id}`}>{t.target.name}</Link>
                </th>
                <td>
                  <Link to={`/buckets/${t.target.bucket}?in=${encodeURIComponent(t.target.prefix ?? "")}#objects`}>
                    {t.target.bucket}/{t.target.prefix}
                  </Link>
                  <span className="block text-sm text-ink-soft">{regionName(t.region)}</span>
                </td>
                <td>
                  <Standing target={t} />
                </td>
                <td className="text-right">{count(t.storedObjects)}</td>
                <td className="text-right">{bytes(t.storedBytes)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {value.targets.length === 0 && <p className="mt-5 text-ink-soft">There is no backup target yet.</p>}
      <NewTarget etag={etag} taken={value.targets.map((t) => t.target.id)} />
    </div>
  );
}

/** In a word how a target stands. */
function Standing({ target }: { target: TargetReading }) {
  if (target.wrong) return <span className="text-bad">{target.wrong}</span>;
  if (target.job?.running) return <span role="status">{target.job.kind === "run" ? "a run is under way" : "at work"}</span>;
  if (!target.pool) return <span className="text-ink-soft">not made yet</span>;
  if (!target.pool.canOpen) return <span className="text-bad">locked: its passphrase is not known here</span>;
  return <span>{target.pool.encrypts ? "encrypted" : "not encrypted"}</span>;
}
