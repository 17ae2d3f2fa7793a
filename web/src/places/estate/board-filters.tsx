import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { useEstate } from "../../estate-context";
import { useAddress } from "../../ui/address";
import { inputLook } from "../../ui/controls";
import { useKey } from "../../ui/keys";
import { columns, shownColumns, toggled } from "./columns";
import { markIds, marks } from "./marks";
import { SavedViews } from "./saved-views";

/** Finding among buckets: by words, region, tier, state and cost; which columns; views with a name. All of it is in the address. */
export function BoardFilters() {
  const { prices } = useEstate();
  const { params, set, setAll } = useAddress();
  const [find, setFind] = useState(params.get("find") ?? "");
  const finder = useRef<HTMLInputElement>(null);
  useKey("/", () => finder.current?.focus());
  const told = params.get("find") ?? "";
  // The address lags behind somebody who types; it sets the field only when it was changed elsewhere.
  useEffect(() => {
    if (document.activeElement !== finder.current) setFind(told);
  }, [told]);
  const filtered = ["find", "region", "tier", "state", "cost"].some((name) => params.has(name));
  return (
    <div className="no-print flex flex-wrap items-center gap-x-5 gap-y-1 border-b border-hairline-strong pb-2 text-sm">
      <label>
        Find{" "}
        <input
          ref={finder}
          type="search"
          value={find}
          onChange={(e) => {
            setFind(e.target.value);
            set("find", e.target.value || null);
          }}
          placeholder="name, prefix, tag=value"
          className={`${inputLook} w-44`}
        />
      </label>
      <Pick label="Region" name="region" all="all regions" options={prices.regions.map((r) => [r.id, r.name])} />
      <Pick label="Tier" name="tier" all="all tiers" options={prices.tiers.map((t) => [t.id, t.name])} />
      <Pick label="State" name="state" all="any state" options={markIds.map((id) => [id, marks[id].label])} />
      <label>
        from{" "}
        <input
          aria-label={`Cost of the month from, in ${prices.currency}`}
          inputMode="decimal"
          className={`${inputLook} w-16 text-right`}
          value={params.get("cost") ?? ""}
          placeholder="any"
          onChange={(e) => set("cost", e.target.value || null)}
        />{" "}
        {prices.currency} a month
      </label>
      {filtered && (
        <button
          type="button"
          className="text-accent underline underline-offset-4"
          onClick={() => setAll({ find: null, region: null, tier: null, state: null, cost: null })}
        >
          Show all
        </button>
      )}
      <SavedViews />
      <details className="relative">
        <summary className="cursor-pointer text-ink-soft">Columns</summary>
        <div className="absolute right-0 z-10 w-40 border border-hairline-strong bg-paper p-3 shadow-lg">
          {columns.map((column) => (
            <label key={column.id} className="flex items-center gap-2">
              <input
                type="checkbox"
                className="accent-(--accent)"
                checked={shownColumns(params).includes(column)}
                onChange={() => set("columns", toggled(params, column.id))}
              />
              {column.label}
            </label>
          ))}
        </div>
      </details>
      <Link
        to={{ pathname: "/new", search: params.toString() }}
        className="ml-auto rounded-sm border border-accent bg-accent px-3 py-1 font-medium text-paper no-underline"
      >
        New bucket
      </Link>
    </div>
  );
}

type PickProps = { label: string; name: string; all: string; options: (readonly [string, string])[] };

function Pick({ label, name, all, options }: PickProps) {
  const { params, set } = useAddress();
  return (
    <select
      aria-label={label}
      className={`${inputLook} max-w-48`}
      value={params.get(name) ?? ""}
      onChange={(event) => set(name, event.target.value || null)}
    >
      <option value="">{all}</option>
      {options.map(([value, words]) => (
        <option key={value} value={value}>
          {words}
        </option>
      ))}
    </select>
  );
}
