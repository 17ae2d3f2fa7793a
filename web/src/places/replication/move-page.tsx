import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { doMoveStep, type MoveReading, type MoveStep, readMove, undoMoveStep } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Button, Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { TypedConfirmation } from "../../ui/typed-confirmation";
import { CostTable } from "./cost-table";
import { PartMap } from "./part-map";
import { PassTime } from "./pass-time";
import { Emptying } from "./rule-list";
import { useDeed } from "./use-replication";

/** Which bucket moves into which (/replication/move). */
export function MoveChoice() {
  usePageTitle("Migrate a bucket");
  const { estate } = useEstate();
  const navigate = useNavigate();
  const [from, setFrom] = useState(estate.buckets[0] ?? "");
  const others = estate.buckets.filter((b) => b !== from);
  const [to, setTo] = useState("");
  const chosen = others.includes(to) ? to : (others[0] ?? "");
  const options = (names: string[]) => names.map((name) => ({ value: name, label: name }));
  return (
    <div className="max-w-4xl px-6 pb-24">
      <p className="pt-5">
        <Link to="/replication">Replication</Link>
      </p>
      <h1 className="text-3xl">Migrate a bucket</h1>
      <p className="mt-1 max-w-2xl text-ink-soft">
        A bucket moves into another, in another region or with another scheme, without a moment in which nothing can be read: the
        two are kept equal, the new one takes over, the old one goes. Every step can be taken back until the last.
      </p>
      <form
        className="mt-4 flex items-end gap-6"
        onSubmit={(event) => {
          event.preventDefault();
          void navigate(`/replication/moves/${from}/${chosen}`);
        }}
      >
        <Field label="From">
          {(ids) => <Select {...ids} value={from} options={options(estate.buckets)} onChange={(e) => setFrom(e.target.value)} />}
        </Field>
        <Field label="Into">
          {(ids) => <Select {...ids} value={chosen} options={options(others)} onChange={(e) => setTo(e.target.value)} />}
        </Field>
        <Button type="submit" kind="primary" disabled={chosen === ""}>
          Look at the steps
        </Button>
      </form>
      <p className="mt-4 text-sm">
        No bucket to move into yet? <Link to="/new">Make one</Link>, or let a{" "}
        <Link to={`/replication/new?from=${from}`}>new replication rule</Link> make it.
      </p>
    </div>
  );
}

const steps: Record<MoveStep, { title: string; action: string; what: (from: string, to: string) => string }> = {
  "keep-equal": {
    title: "Keep the two equal",
    action: "Keep them equal",
    what: (from) =>
      `A replication rule for everything in ${from}, deletions too, with what is there already; versioning on both sides. ${from} stays in use.`,
  },
  "be-equal": {
    title: "Wait until they are",
    action: "",
    what: (from, to) => `Everything of ${from} has arrived in ${to}: compared by key, version and checksum.`,
  },
  "switch-over": {
    title: "Switch over",
    action: "Switch over",
    what: (from, to) =>
      `Workload and reading habit move to ${to}; what is written there is copied back, so that ${from} stays whole and you can return.`,
  },
  "drop-old": {
    title: "Drop the old one",
    action: "Drop it for good",
    what: (from) => `${from} goes with all that it holds. This is the step that cannot be taken back.`,
  },
};

/** One move, step by step; how far it is stands in the estate itself, so the page can be left and opened again. */
export function MovePage() {
  usePageTitle("Migrate a bucket");
  const { from = "", to = "" } = useParams();
  const move = useQuery({ queryKey: ["move", from, to], queryFn: () => readMove(from, to), retry: false });
  if (move.error && !move.data) return <ErrorPage what="Migrate a bucket" error={move.error} />;
  if (!move.data) return <div className="h-96" />;
  return (
    <div className="px-6 pb-24">
      <p className="flex items-baseline pt-5">
        <Link to="/replication">Replication</Link>
        <span className="ml-auto">
          <PassTime />
        </span>
      </p>
      <h1 className="text-3xl">
        {from} moves into {to}
      </h1>
      {move.data.value.oldIsGone ? (
        <p className="mt-3 border-l-4 border-good px-3" role="status">
          {from} is gone; everything is in <Link to={`/buckets/${to}`}>{to}</Link>. The log has every step.
        </p>
      ) : (
        <>
          <div className="mt-2 max-w-3xl">
            <PartMap concerns={(bucket) => bucket === from || bucket === to} />
          </div>
          <Steps move={move.data.value} etag={move.data.etag} />
        </>
      )}
    </div>
  );
}

function Steps({ move, etag }: { move: MoveReading; etag: string }) {
  const { from, to, forward } = move;
  const [dropping, setDropping] = useState(false);
  const act = useDeed((order: { step: MoveStep; confirm: string | null }) =>
    doMoveStep(from, to, order.step, order.confirm, etag),
  );
  const undo = useDeed((step: MoveStep) => undoMoveStep(from, to, step, etag));
  const busy = act.isPending || undo.isPending;
  const error = act.error ?? undo.error;
  return (
    <>
      {move.differ.length > 0 && (
        <p className="mt-2 border-l-4 border-accent px-3">
          Not the same on both sides, and moved by nobody: {move.differ.join("; ")}. Access keys and timed links stay with {from},
          too.
        </p>
      )}
      <ol className="mt-4">
        {move.steps.map((s, i) => {
          const words = steps[s.step];
          return (
            <li
              key={s.step}
              className="grid grid-cols-[2.5rem_1fr_20rem] gap-x-4 border-t border-hairline py-4"
              aria-current={s.ready ? "step" : undefined}
              data-testid={`step-${s.step}`}
            >
              <span className={`font-serif text-2xl ${s.done ? "text-good" : s.ready ? "text-accent" : "text-ink-soft"}`}>
                {s.done ? "✓" : i + 1}
              </span>
              <div>
                <h2 className="text-xl">{words.title}</h2>
                <p className="text-ink-soft">{words.what(from, to)}</p>
                {s.step === "be-equal" && forward && !s.done && (
                  <p>
                    {count(forward.waiting)} wait; the backlog is gone: <Emptying rule={forward} />.
                  </p>
                )}
                {s.why && !s.done && <p className="mt-1 text-sm">{s.why}</p>}
                <p className="mt-2 flex gap-3">
                  {s.ready && s.step !== "drop-old" && (
                    <Button kind="primary" disabled={busy} onClick={() => act.mutate({ step: s.step, confirm: null })}>
                      {words.action}
                    </Button>
                  )}
                  {s.ready && s.step === "drop-old" && !dropping && (
                    <Button onClick={() => setDropping(true)}>{words.action}…</Button>
                  )}
                  {s.canUndo && (
                    <Button disabled={busy} onClick={() => undo.mutate(s.step)}>
                      Take this step back
                    </Button>
                  )}
                </p>
                {dropping && s.step === "drop-old" && s.ready && (
                  <TypedConfirmation
                    word={from}
                    action={words.action}
                    busy={busy}
                    onConfirm={() => act.mutate({ step: s.step, confirm: from })}
                    onCancel={() => setDropping(false)}
                  />
                )}
              </div>
              <div>{!s.done && <CostTable cost={s.cost} />}</div>
            </li>
          );
        })}
      </ol>
      {error && <ErrorNote error={error} />}
    </>
  );
}
