import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { useLocation, useNavigate, useParams } from "react-router";
import {
  type Assumption,
  compareScenarios,
  putScenarios,
  readScenarios,
  type Scenario,
  type ScenarioOutlook,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { Button, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { newId } from "../../ui/new-id";
import { usePageTitle } from "../../ui/page-title";
import { done } from "../../ui/toasts";
import { useKept } from "../../ui/use-kept";
import { AssumptionEditor } from "./assumption-editor";
import { DifferencePart, useScenarioReading } from "./difference-part";
import { OutlookChart } from "./outlook-chart";
import { ScenarioDrafts } from "./scenario-drafts";
import { ScenarioList } from "./scenario-list";
import { useNames } from "./use-names";

/** Scenarios under the hand, and the stored ones that they began from. */
type Draft = { scenarios: Scenario[]; began: string };

const months = 120;

const fresh: { label: string; assumption: Assumption }[] = [
  { label: "growth", assumption: { growth: { arrivals: 1.2 } } },
  { label: "reading", assumption: { reading: { times: 2 } } },
  { label: "prices", assumption: { prices: { charge: "storage", times: 1.1 } } },
  { label: "place", assumption: { place: {} } },
];

/** What if: named variants of the estate beside it as it stands, and where every unit of the difference comes from. */
export function ScenariosPlace() {
  usePageTitle("What if");
  const { estate } = useEstate();
  const { id } = useParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { state } = useLocation();
  const brought = (state as { assume?: Assumption[] } | null)?.assume;
  const taken = useRef<Assumption[] | null>(null);
  const stored = useQuery({ queryKey: keys.scenarios, queryFn: readScenarios });
  // Of what is stored now: an answer on its way when another scenario is stored is of those before.
  const comparison = useQuery({
    queryKey: keys.comparison(months, stored.data?.etag ?? ""),
    queryFn: () => compareScenarios(months),
    enabled: stored.data !== undefined,
    placeholderData: keepPreviousData,
  });
  const [draft, keep, forget] = useKept<Draft | null>(`ripen-draft:${estate.identity}:scenarios`, null);
  const scenarios = draft?.scenarios ?? stored.data?.value.scenarios ?? [];
  const chosen = scenarios.find((s) => s.id === id) ?? scenarios[0];
  const reading = useScenarioReading(chosen);
  const newest = useRef(draft);
  newest.current = draft;
  const save = useMutation({
    mutationFn: (of: Draft) => putScenarios(of.scenarios, stored.data?.etag ?? ""),
    onSuccess: async (_, saved) => {
      await queries.invalidateQueries();
      // What was typed meanwhile is a draft of what is stored now.
      const now = queries.getQueryData<typeof stored.data>(keys.scenarios)?.value.scenarios;
      if (newest.current === saved) forget();
      else if (newest.current) keep({ ...newest.current, began: JSON.stringify(now) });
      done("Stored.");
    },
    onError: () => queries.invalidateQueries({ queryKey: keys.scenarios }),
  });
  const mark = JSON.stringify(stored.data?.value.scenarios);
  const change = (next: Scenario[]) => keep({ scenarios: next, began: draft?.began ?? mark });
  const put = (scenario: Scenario) => change(scenarios.map((s) => (s.id === scenario.id ? scenario : s)));
  const add = (assumptions: Assumption[]) => {
    const next = newId("what-if", scenarios);
    change([...scenarios, { id: next, name: `What if ${scenarios.length + 1}`, assumptions }]);
    void navigate(`/what-if/${next}`, { replace: assumptions.length > 0 });
  };
  // Takes up a draft that a bucket's page brought.
  useEffect(() => {
    if (!brought || !stored.data || taken.current === brought) return;
    taken.current = brought;
    if (id && chosen) {
      put(brought.reduce(withAssumption, chosen));
      void navigate(`/what-if/${chosen.id}`, { replace: true, state: null });
    } else add(brought);
  });
  if (stored.error) return <ErrorNote error={stored.error} />;
  if (!stored.data) return <div className="h-96" />;
  const moved = draft !== null && draft.began !== mark;
  const problems = reading.data?.problems ?? [];
  const outlooks = merged(comparison.data?.outlooks ?? [], scenarios, chosen, reading.data?.outlook ?? null);
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2 pt-5">
        <h1 className="text-3xl">What if</h1>
        <p className="text-ink-soft">Assumptions made of the estate as it stands, one after the other. Nothing is done.</p>
        <span className="ml-auto flex items-center gap-3">
          <Button kind="primary" disabled={draft === null || moved || save.isPending} onClick={() => draft && save.mutate(draft)}>
            Save
          </Button>
          <Button disabled={draft === null} onClick={forget}>
            Discard
          </Button>
        </span>
      </div>
      {moved && draft && (
        <p className="mt-2 border-l-2 border-bad pl-3 text-sm">
          Scenarios were changed since this draft began. Saved as it is, it would undo that.{" "}
          <Button kind="quiet" onClick={() => keep({ ...draft, began: mark })}>
            Keep the draft
          </Button>
        </p>
      )}
      {save.error && <ErrorNote error={save.error} />}
      {comparison.error && <ErrorNote error={comparison.error} />}
      <div className="mt-3 grid grid-cols-[minmax(24rem,30rem)_minmax(0,1fr)] gap-x-8 gap-y-4 max-lg:grid-cols-1">
        <div className="min-w-0">
          <ScenarioList
            outlooks={outlooks}
            chosen={chosen?.id ?? ""}
            typed={
              draft && chosen
                ? { id: chosen.id, assume: reading.data?.of.id === chosen.id ? (reading.data.of.assumptions ?? []) : null }
                : null
            }
            onAdd={() => add([])}
          />
        </div>
        <OutlookChart outlooks={outlooks} chosen={chosen?.id ?? ""} />
        {chosen && (
          <section className="min-w-0" aria-label="Assumptions">
            <div className="flex items-baseline gap-3">
              <input
                aria-label="Name of the scenario"
                className={`${inputLook} grow font-serif text-xl`}
                value={chosen.name}
                onChange={(e) => put({ ...chosen, name: e.target.value })}
              />
              <Button kind="quiet" onClick={() => change(scenarios.filter((s) => s.id !== chosen.id))}>
                Remove
              </Button>
            </div>
            <Assumptions
              scenario={chosen}
              problemAt={(i) => problems.find((p) => p.path.startsWith(`$.assumptions[${i}]`))?.message}
              onChange={put}
            />
            {problems
              .filter((p) => !p.path.startsWith("$.assumptions["))
              .map((p) => (
                <p key={p.path} role="alert" className="text-bad">
                  {p.message}
                </p>
              ))}
            <ScenarioDrafts key={JSON.stringify(chosen)} scenario={chosen} />
          </section>
        )}
        {chosen && reading.error && <ErrorNote error={reading.error} />}
        {chosen && reading.data?.difference && (
          <div className="min-w-0" data-stale={reading.isPlaceholderData || reading.data.of.id !== chosen.id}>
            <DifferencePart difference={reading.data.difference} scenario={reading.data.of} stored={draft === null} />
            <p className="mt-2 text-sm text-ink-soft">
              What an assumption adds is counted with those before it made already: in another order the parts are others, and the
              whole is the same.{" "}
              {draft === null && (
                <>
                  Every row:{" "}
                  {["csv", "xlsx", "parquet", "focus.csv"].map((format) => (
                    <a key={format} className="mr-2" href={`/api/scenarios/${chosen.id}/rows.${format}`} download>
                      {format}
                    </a>
                  ))}
                </>
              )}
            </p>
          </div>
        )}
      </div>
    </div>
  );
}

type AssumptionsProps = {
  scenario: Scenario;
  problemAt: (assumption: number) => string | undefined;
  onChange: (scenario: Scenario) => void;
};

function Assumptions({ scenario, problemAt, onChange }: AssumptionsProps) {
  const assumptions = scenario.assumptions ?? [];
  const { offers, prices } = useNames();
  const offer = offers.find((o) => o.prices.currency === prices.currency);
  const set = (next: Assumption[]) => onChange({ ...scenario, assumptions: next });
  return (
    <>
      <ol>
        {assumptions.map((assumption, i) => (
          <AssumptionEditor
            key={i}
            scenario={scenario.id}
            number={i + 1}
            assumption={assumption}
            problem={problemAt(i)}
            isFirst={i === 0}
            onChange={(next) => set(assumptions.map((a, n) => (n === i ? next : a)))}
            onRemove={() => set(assumptions.filter((_, n) => n !== i))}
            onEarlier={() => set(assumptions.toSpliced(i, 1).toSpliced(i - 1, 0, assumption))}
          />
        ))}
      </ol>
      <p className="mt-2 flex flex-wrap items-baseline gap-2 text-sm">
        Assume otherwise:
        {[...fresh, ...(offer ? [{ label: "an offer", assumption: { offer: offer.id } }] : [])].map(({ label, assumption }) => (
          <Button key={label} onClick={() => set([...assumptions, assumption])}>
            {label}
          </Button>
        ))}
      </p>
      <p className="mt-1 text-sm text-ink-soft">
        Other rules, copies, backup plans or single prices: change a bucket's, a plan's or the price book's draft on its page, and
        choose “Keep for a what-if” there.
      </p>
    </>
  );
}

/** The scenario with one more assumption, which takes the place of an earlier draft of the same bucket, plan or price book. */
function withAssumption(scenario: Scenario, added: Assumption): Scenario {
  const assumptions = scenario.assumptions ?? [];
  const place = assumptions.findIndex(
    (a) =>
      (a.bucket && a.bucket.as.name === added.bucket?.as.name) ||
      (a.plan && a.plan.id === added.plan?.id) ||
      (a.priceBook && added.priceBook) ||
      (a.packsAge && a.packsAge.target === added.packsAge?.target),
  );
  return { ...scenario, assumptions: place < 0 ? [...assumptions, added] : assumptions.with(place, added) };
}

/** What is stored, with the chosen one as it is typed. */
function merged(
  stored: ScenarioOutlook[],
  scenarios: Scenario[],
  chosen: Scenario | undefined,
  typed: ScenarioOutlook | null,
): ScenarioOutlook[] {
  const asItStands = stored.filter((o) => o.id === "");
  return [
    ...asItStands,
    ...scenarios.map((s) => {
      const known = stored.find((o) => o.id === s.id);
      const now = s.id === chosen?.id && typed?.id === s.id ? typed : known;
      return { ...(now ?? { problems: [], money: [], years: [] }), id: s.id, name: s.name };
    }),
  ];
}
