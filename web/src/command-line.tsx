import { useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { useEstate } from "./estate-context";
import { Dialog } from "./ui/dialog";
import { singleKeysOn, switchSingleKeys, useKey } from "./ui/keys";
import { toggleTheme } from "./ui/theme";

const keyList = [
  ["Ctrl+K", "this command line"],
  ["/", "find a bucket"],
  ["n", "make a bucket"],
  [", and .", "as-of day a month back and on"],
  ["< and >", "as-of day a year back and on"],
  ["t", "as-of day to today"],
  ["← →", "on a step: a day younger or older; with Shift a week, Page Up and Down 30 days"],
  ["1 to 9", "on a bucket's page: to its parts"],
  ["?", "these keys"],
];

/** Of very many buckets; typing finds the others. */
const mostShown = 60;

/** Ctrl+K: type where to go or what to do; and the list of keys on `?`. */
export function CommandLine() {
  const { estate, prices } = useEstate();
  const navigate = useNavigate();
  const keep = useLocation().search;
  const [open, setOpen] = useState<"line" | "keys" | null>(null);
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const [single, setSingle] = useState(singleKeysOn);
  useKey("k", () => setOpen("line"), true);
  useKey("?", () => setOpen("keys"));
  useKey("n", () => navigate(`/new${keep}`));

  const commands = [
    ...estate.buckets.map((name) => ({ label: `open ${name}`, run: () => navigate(`/buckets/${name}${keep}`) })),
    { label: "new bucket", run: () => navigate(`/new${keep}`) },
    { label: "estate", run: () => navigate(`/${keep}`) },
    { label: "replication", run: () => navigate("/replication") },
    { label: "new replication rule", run: () => navigate("/replication/new") },
    { label: "migrate a bucket", run: () => navigate("/replication/move") },
    ...prices.regions.map((r) => ({ label: `lose or return ${r.id}`, run: () => navigate(`/replication/regions/${r.id}`) })),
    { label: "forecast", run: () => navigate(`/forecast${keep}`) },
    { label: "what if: scenarios", run: () => navigate("/what-if") },
    { label: "how sure: ranges of the forecast", run: () => navigate("/how-sure") },
    { label: "forecast on paper: two sheets", run: () => navigate("/on-paper") },
    { label: "bills from elsewhere: fit prices", run: () => navigate("/bills") },
    { label: "budgets: plan against fact", run: () => navigate("/budgets") },
    { label: "how it ripens", run: () => navigate("/landscape") },
    { label: "everything back", run: () => navigate("/full-restore") },
    { label: "offers: price books side by side", run: () => navigate("/offers") },
    { label: "prices", run: () => navigate("/prices") },
    { label: "log", run: () => navigate(`/log${keep}`) },
    { label: "advance the clock", run: () => navigate("/clock") },
    { label: "compare redundancy schemes", run: () => navigate("/schemes") },
    { label: "what kind of storage is this?", run: () => navigate("/advice") },
    { label: "what ripen computes: words and formulas", run: () => navigate("/about") },
    { label: "http interface", run: () => navigate("/http") },
    { label: "export estate document", run: () => location.assign("/api/estate/document") },
    { label: "light, dark or as the system", run: toggleTheme },
    { label: "keys", run: () => setOpen("keys") },
  ]
    .filter((command) => text.split(" ").every((word) => command.label.includes(word.toLowerCase())))
    .slice(0, mostShown);
  const run = (i: number) => {
    setOpen(null);
    setText("");
    commands[i]?.run();
  };
  return (
    <>
      <Dialog open={open === "line"} onClose={() => setOpen(null)} title="What next?">
        <input
          role="combobox"
          aria-expanded="true"
          aria-controls="commands"
          aria-activedescendant={commands[at] ? `command-${at}` : undefined}
          aria-label="Command"
          className="w-full border-b border-hairline-strong bg-transparent px-1 py-1 text-lg"
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            setAt(0);
          }}
          onKeyDown={(event) => {
            if (event.key === "ArrowDown") setAt(Math.min(at + 1, commands.length - 1));
            else if (event.key === "ArrowUp") setAt(Math.max(at - 1, 0));
            else if (event.key === "Enter") run(at);
            else return;
            event.preventDefault();
          }}
        />
        <div id="commands" role="listbox" aria-label="Commands" className="mt-2 max-h-72 overflow-auto">
          {commands.map((command, i) => (
            <div
              key={command.label}
              id={`command-${i}`}
              role="option"
              tabIndex={-1}
              aria-selected={i === at}
              className={`cursor-pointer px-2 py-1 ${i === at ? "bg-paper-deep" : ""}`}
              onMouseEnter={() => setAt(i)}
              onClick={() => run(i)}
              onKeyDown={(event) => event.key === "Enter" && run(i)}
            >
              {command.label}
            </div>
          ))}
          {commands.length === 0 && <p className="px-2 py-1 text-ink-soft">Nothing is called that.</p>}
        </div>
      </Dialog>
      <Dialog open={open === "keys"} onClose={() => setOpen(null)} title="Keys">
        <dl className="grid grid-cols-[6rem_1fr] gap-y-1">
          {keyList.map(([key, meaning]) => (
            <div key={key} className="contents">
              <dt className="font-semibold">{key}</dt>
              <dd>{meaning}</dd>
            </div>
          ))}
        </dl>
        <label className="mt-4 flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-(--accent)"
            checked={single}
            onChange={(event) => {
              switchSingleKeys(event.target.checked);
              setSingle(event.target.checked);
            }}
          />
          Single keys work (Ctrl+K always does)
        </label>
      </Dialog>
    </>
  );
}
