import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link, useParams } from "react-router";
import { readRecoverySheet } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, moment } from "../../format";
import { Button } from "../../ui/controls";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";

/** One page to print and keep somewhere else: what a restore needs when nothing but the pool is left. */
export function SheetPage() {
  const id = useParams().target ?? "";
  const { regionName } = useEstate();
  const sheet = useQuery({ queryKey: keys.recoverySheet(id), queryFn: () => readRecoverySheet(id) });
  usePageTitle("Recovery sheet");
  if (sheet.error) return <ErrorPage what="Recovery sheet" error={sheet.error} />;
  if (!sheet.data) return <div className="h-96" />;
  const s = sheet.data;
  return (
    <div className="max-w-4xl px-6 pb-24">
      <p className="pt-5 print:hidden">
        <Link to="/backups">Backups</Link> / <Link to={`/backups/${id}`}>{s.target}</Link>
      </p>
      <div className="flex flex-wrap items-baseline gap-x-6">
        <h1 className="text-3xl">Recovery sheet: {s.target}</h1>
        <span className="print:hidden">
          <Button onClick={() => window.print()}>Print</Button>
        </span>
      </div>
      <p className="mt-1 text-ink-soft">
        What is needed to restore when nothing but the pool is left. Keep it on paper, in another place than the pool and the
        data.
      </p>
      {s.missing.map((m) => (
        <p key={m} className="mt-2 border-l-4 border-bad px-3">
          {m}
        </p>
      ))}
      <dl className="mt-4 grid grid-cols-[10rem_minmax(0,1fr)]">
        <Line name="Pool">
          <code>{s.pool}</code>
          <span className="block text-sm text-ink-soft">
            format {s.format}, made on {moment(s.made)}
            {s.points != null && `; ${count(s.points)} points`}
            {s.newest != null && `, the newest of ${moment(s.newest)}`}
          </span>
        </Line>
        <Line name={s.places.length > 1 ? "It lies in" : "It lies at"}>
          {s.places.map((p) => (
            <code key={p} className="block break-all">
              {p}
            </code>
          ))}
          {s.region && <span className="block text-sm text-ink-soft">{regionName(s.region)}</span>}
        </Line>
        {s.keys.map((k) => (
          <Line key={k.id} name="Access">
            {k.access}, key <code>{k.id}</code>
            {k.ends && <span className="text-sm text-ink-soft">, until {moment(k.ends)}</span>}
            <Blank>its secret, which Ripen does not keep:</Blank>
          </Line>
        ))}
        <Line name="Passphrase">
          {s.encrypts ? (
            <Blank>by hand; without it nobody can read the pool, Ripen neither:</Blank>
          ) : (
            "none: the pool is not encrypted"
          )}
        </Line>
        <Line name="To restore">
          <ol className="list-decimal space-y-1 pl-5">
            <li>
              Take any machine with Ripen's command line
              {s.keys.length > 0 && ", and set RIPEN_KEY to the key, a colon and its secret"}
              {s.encrypts && "; it asks for the passphrase"}.
            </li>
            <li>
              List the points: <code className="break-all">{s.command}</code>
            </li>
            <li>
              Find a file in them: <code>… --find "part of its name"</code>
            </li>
            <li>
              Restore one: <code>… POINT --to FOLDER</code>, or <code>--to FILE.zip</code>
            </li>
          </ol>
        </Line>
        <Line name="Without Ripen">
          The format is written down in docs/backup-format.md: SHA-256, AES-256-GCM and Zstandard, with test vectors.
        </Line>
        <Line name="Tried on">
          <Blank>when this sheet was last followed, and by whom:</Blank>
        </Line>
      </dl>
    </div>
  );
}

function Line({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt className="border-b border-hairline py-2 text-ink-soft">{name}</dt>
      <dd className="border-b border-hairline py-2">{children}</dd>
    </>
  );
}

/** Room to write in. */
function Blank({ children }: { children: ReactNode }) {
  return (
    <>
      <span className="block text-sm text-ink-soft">{children}</span>
      <span aria-hidden="true" className="mt-6 block border-b border-ink-soft" />
    </>
  );
}
