import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { type FoundPath, type FoundVersion, fileOfPoint, findPaths } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, moment } from "../../format";
import { useAddress } from "../../ui/address";
import { Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { useSettled } from "../../ui/use-settled";
import { useTargets } from "./use-backups";

/** A name in all restore points of all pools: every version of it, from when to when it is there, and the way to have it again. */
export function FindPage() {
  usePageTitle("Find a file");
  const { params, set } = useAddress();
  // The address follows what is typed, and may be behind it.
  const [typed, setTyped] = useState(params.get("text") ?? "");
  const text = useSettled(typed.trim());
  const targets = useTargets();
  const found = useQuery({
    queryKey: keys.found(text),
    queryFn: ({ signal }) => findPaths(text, signal),
    enabled: text !== "",
    placeholderData: keepPreviousData,
  });
  const shown = text === "" ? undefined : found.data;
  const nameOf = (id: string) => targets.data?.value.targets.find((t) => t.target.id === id)?.target.name ?? id;
  return (
    <div className="px-6 pb-24">
      <p className="pt-5">
        <Link to="/backups">Backups</Link>
        <Link to="/find-mail" className="pl-6">
          Find a mail
        </Link>
      </p>
      <h1 className="text-3xl">Find a file</h1>
      <div className="mt-3">
        <Field
          label="Words of its name, or of a folder that it is in"
          hint="in every restore point of every pool, whatever their case"
        >
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-96 text-lg`}
              autoComplete="off"
              spellCheck={false}
              // biome-ignore lint/a11y/noAutofocus: the page is this one field.
              autoFocus
              value={typed}
              onChange={(e) => {
                setTyped(e.target.value);
                set("text", e.target.value || null);
              }}
            />
          )}
        </Field>
      </div>
      {text !== "" && found.error && <ErrorNote error={found.error} />}
      <p role="status" className="mt-3 text-ink-soft">
        {shown && (
          <>
            {shown.total === 0 ? "Nothing" : `${count(shown.total)} ${shown.total === 1 ? "path" : "paths"}`} in{" "}
            {count(shown.points)} points
            {shown.paths.length < shown.total && `; the first ${count(shown.paths.length)} are below: another word finds fewer`}.
          </>
        )}
      </p>
      {shown?.notSearched.map((n) => (
        <p key={`${n.target} ${n.why}`} className="mt-1 border-l-4 border-bad px-3">
          Not searched, {nameOf(n.target)}: {n.why}
        </p>
      ))}
      {shown && shown.paths.length > 0 && <FoundTable paths={shown.paths} nameOf={nameOf} />}
    </div>
  );
}

function FoundTable({ paths, nameOf }: { paths: FoundPath[]; nameOf: (target: string) => string }) {
  const times = paths.flatMap((p) => p.versions).flatMap((v) => [Date.parse(v.firstTaken), Date.parse(v.lastTaken)]);
  const [from, to] = [Math.min(...times), Math.max(...times)];
  return (
    <table className="mt-3 w-full">
      <thead className="text-left text-sm text-ink-soft">
        <tr className="border-b border-hairline-strong">
          <th className="w-72 py-1 font-normal">path</th>
          <th className="w-44 font-normal">
            {moment(new Date(from).toISOString())} <span aria-hidden="true">→</span>
          </th>
          <th className="font-normal">as it was in points</th>
          <th className="text-right font-normal">bytes</th>
          <th className="pl-6 font-normal">last changed</th>
          <th className="font-normal">
            <span className="sr-only">have it again</span>
          </th>
        </tr>
      </thead>
      {paths.map((p) => (
        <tbody key={`${p.target} ${p.workload} ${p.path}`} className="border-b border-hairline-strong">
          {p.versions.map((v, i) => (
            <tr key={v.point} className="align-baseline">
              {i === 0 && (
                <th scope="rowgroup" rowSpan={p.versions.length} className="py-1.5 pr-6 text-left font-normal wrap-anywhere">
                  {p.path.slice(p.path.lastIndexOf("/") + 1)}
                  <span className="block text-sm text-ink-soft">
                    {p.path.includes("/") && `${p.path.slice(0, p.path.lastIndexOf("/"))} · `}
                    {p.workload}, {nameOf(p.target)}
                  </span>
                </th>
              )}
              <VersionCells path={p} version={v} from={from} to={to} />
            </tr>
          ))}
        </tbody>
      ))}
    </table>
  );
}

type VersionProps = { path: FoundPath; version: FoundVersion; from: number; to: number };

function VersionCells({ path, version, from, to }: VersionProps) {
  const { bytes } = useEstate();
  const share = (time: string) => (to === from ? 0 : (100 * (Date.parse(time) - from)) / (to - from));
  const [begins, ends] = [share(version.firstTaken), share(version.lastTaken)];
  const folder = path.path.slice(0, Math.max(0, path.path.lastIndexOf("/")));
  const inside = version.kind === "folder" ? path.path : folder;
  const span = version.points === 1 ? "" : `${moment(version.firstTaken)} to `;
  const when = version.isThere ? `since ${moment(version.firstTaken)}` : `${span}${moment(version.lastTaken)}, not in the newest`;
  return (
    <>
      <td aria-hidden="true" className="pr-3">
        <span className="relative block h-3 border-b border-hairline">
          <span
            className={`absolute bottom-0 h-2 min-w-1 ${version.isThere ? "bg-accent" : "border border-b-0 border-ink-soft"}`}
            style={{ left: `${Math.min(97, begins)}%`, width: `${Math.max(2, ends - begins)}%` }}
          />
        </span>
      </td>
      <td className="py-1.5">
        {when}
        <span className="block text-sm text-ink-soft">
          in {count(version.points)} {version.points === 1 ? "point" : "points"}
        </span>
      </td>
      <td className="pl-3 text-right whitespace-nowrap">{version.kind === "file" ? bytes(version.bytes) : version.kind}</td>
      <td className="pl-6 text-sm whitespace-nowrap text-ink-soft">{moment(version.modified)}</td>
      <td className="pl-6 whitespace-nowrap">
        {version.kind === "file" && (
          <a
            href={fileOfPoint(path.target, version.point, path.path)}
            download
            aria-label={`Download ${path.path} of ${moment(version.lastTaken)}`}
          >
            Download
          </a>
        )}{" "}
        <Link
          to={`/backups/${path.target}?point=${version.point}${inside && `&in=${encodeURIComponent(inside)}`}`}
          aria-label={`In its point of ${moment(version.lastTaken)}: ${path.path}`}
          className="pl-3"
        >
          In its point
        </Link>
      </td>
    </>
  );
}
