import { type ReactNode, useId } from "react";
import type { WorkloadSource } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { Field, inputLook, Select } from "../../ui/controls";
import { useTargets } from "./use-backups";

/** As it is typed; what is not chosen stays for whoever goes back to it. */
export type TypedSource = {
  from: "nowhere" | "folder" | "bucket";
  folder: string;
  bucket: string;
  prefix: string;
  before?: string;
  after?: string;
};

export const typedSource = (source: WorkloadSource | null | undefined): TypedSource => ({
  from: source == null ? "nowhere" : source.bucket != null ? "bucket" : "folder",
  folder: source?.folder ?? "",
  bucket: source?.bucket ?? "",
  prefix: source?.prefix ?? "",
  before: source?.before ?? "",
  after: source?.after ?? "",
});

export function sourceOf(typed: TypedSource): WorkloadSource | null {
  if (typed.from === "nowhere") return null;
  const programs = { ...(typed.before && { before: typed.before }), ...(typed.after && { after: typed.after }) };
  return typed.from === "folder"
    ? { folder: typed.folder, ...programs }
    : { bucket: typed.bucket, ...(typed.prefix !== "" && { prefix: typed.prefix }), ...programs };
}

const choices = {
  nowhere: { value: "nowhere", label: "nothing: it is only computed with" },
  folder: { value: "folder", label: "a folder" },
  bucket: { value: "bucket", label: "objects" },
};

type Props = {
  label: string;
  value: TypedSource;
  onChange: (part: Partial<TypedSource>) => void;
  offersNothing?: boolean;
  wrong?: ProblemAt;
  path?: string;
};

/** A folder of the server's machine, or objects of a bucket. */
export function SourceFields({ label, value, onChange, offersNothing = false, wrong, path = "" }: Props) {
  const { estate } = useEstate();
  const roots = useTargets().data?.value.roots ?? [];
  const list = useId();
  const say = (part: string) => wrong?.(`${path}${part}`);
  const fields: Record<TypedSource["from"], ReactNode> = {
    nowhere: null,
    folder: (
      <Field
        label="Folder of the server's machine"
        error={say(".folder")}
        hint={`below ${roots.join(" or ") || "no folder: the settings allow none"}`}
      >
        {(ids) => (
          <>
            <input
              {...ids}
              list={list}
              autoComplete="off"
              spellCheck={false}
              className={`${inputLook} w-80`}
              placeholder={roots[0] && `${roots[0]}/office`}
              value={value.folder}
              onChange={(e) => onChange({ folder: e.target.value })}
            />
            <datalist id={list}>
              {roots.map((root) => (
                <option key={root} value={`${root}/`} />
              ))}
            </datalist>
          </>
        )}
      </Field>
    ),
    bucket: (
      <>
        <Field label="Of the bucket" error={say(".bucket")}>
          {(ids) => (
            <Select
              {...ids}
              value={value.bucket}
              options={estate.buckets.map((b) => ({ value: b, label: b }))}
              onChange={(e) => onChange({ bucket: e.target.value })}
            />
          )}
        </Field>
        <Field label="below the prefix" error={say(".prefix")} hint="empty: all of it">
          {(ids) => (
            <input
              {...ids}
              autoComplete="off"
              spellCheck={false}
              className={`${inputLook} w-40`}
              value={value.prefix}
              onChange={(e) => onChange({ prefix: e.target.value })}
            />
          )}
        </Field>
      </>
    ),
  };
  return (
    <>
      <Field label={label} error={say("")}>
        {(ids) => (
          <Select
            {...ids}
            value={value.from}
            options={offersNothing ? Object.values(choices) : [choices.folder, choices.bucket]}
            onChange={(e) =>
              onChange({
                from: e.target.value as TypedSource["from"],
                ...(value.bucket === "" && { bucket: estate.buckets[0] ?? "" }),
              })
            }
          />
        )}
      </Field>
      {fields[value.from]}
      {offersNothing &&
        value.from !== "nowhere" &&
        (["before", "after"] as const).map((when) => (
          <Field
            key={when}
            label={when === "before" ? "Program before a run" : "and after it"}
            error={say(`.${when}`)}
            hint={when === "before" ? "its name in the server's folder of programs" : "however the run went"}
          >
            {(ids) => (
              <input
                {...ids}
                autoComplete="off"
                spellCheck={false}
                className={`${inputLook} w-40`}
                value={value[when] ?? ""}
                onChange={(e) => onChange({ [when]: e.target.value })}
              />
            )}
          </Field>
        ))}
    </>
  );
}
