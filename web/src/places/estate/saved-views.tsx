import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { Button, inputLook } from "../../ui/controls";

const key = "ripen-views";
type View = { name: string; search: string };

function stored(): View[] {
  const read: unknown = JSON.parse(localStorage.getItem(key) ?? "[]");
  return Array.isArray(read) ? read.filter((v): v is View => typeof v?.name === "string" && typeof v?.search === "string") : [];
}

/** Views of the board under a name: each is an address, kept in this browser. */
export function SavedViews() {
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const [kept, setKept] = useState(stored);
  const [name, setName] = useState<string | null>(null);
  const now = withoutDay(params);
  const keep = (next: View[]) => {
    setKept(next);
    localStorage.setItem(key, JSON.stringify(next));
  };
  const current = kept.find((v) => v.search === now);
  return (
    <span className="flex flex-wrap items-center gap-x-2">
      {kept.length > 0 && (
        <select
          aria-label="Saved views"
          className={inputLook}
          value={current?.name ?? ""}
          onChange={(event) => {
            const view = kept.find((v) => v.name === event.target.value);
            if (view) void navigate({ pathname: "/", search: view.search });
          }}
        >
          <option value="">saved views</option>
          {kept.map((v) => (
            <option key={v.name}>{v.name}</option>
          ))}
        </select>
      )}
      {current && (
        <Button kind="quiet" onClick={() => keep(kept.filter((v) => v !== current))}>
          Forget this view
        </Button>
      )}
      {!current && now !== "" && name === null && (
        <Button kind="quiet" onClick={() => setName("")}>
          Save this view…
        </Button>
      )}
      {name !== null && (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim()) keep([...kept.filter((v) => v.name !== name.trim()), { name: name.trim(), search: now }]);
            setName(null);
          }}
        >
          <input
            aria-label="Name of the view"
            // biome-ignore lint/a11y/noAutofocus: it was asked for by the press before
            autoFocus
            className={`${inputLook} w-36`}
            value={name}
            onChange={(event) => setName(event.target.value)}
            onKeyDown={(event) => event.key === "Escape" && setName(null)}
          />
          <Button kind="quiet" type="submit">
            Save
          </Button>
        </form>
      )}
    </span>
  );
}

function withoutDay(params: URLSearchParams) {
  const kept = new URLSearchParams(params);
  kept.delete("on");
  return kept.toString();
}
