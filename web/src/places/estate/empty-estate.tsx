import { useMutation, useQueryClient } from "@tanstack/react-query";
import { loadDemo } from "../../api/client";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { ImportEstate } from "./import-estate";

/** What one sees before there is an estate: how to begin. */
export function EmptyEstate() {
  usePageTitle("Begin");
  const queries = useQueryClient();
  const demo = useMutation({ mutationFn: loadDemo, onSuccess: () => queries.invalidateQueries() });
  return (
    <section className="mx-auto max-w-2xl px-6 py-16">
      <h1 className="text-4xl">Nothing is kept here yet</h1>
      <p className="mt-4 text-lg">
        An estate is a price book and the buckets that are billed by it. Bring yours as an estate document, one JSON file; or look
        around in the made-up one of a ferry operator first.
      </p>
      <div className="mt-8 flex items-start gap-4">
        <ImportEstate etag={null} kind="primary" />
        <Button disabled={demo.isPending} onClick={() => demo.mutate()}>
          Load the demo
        </Button>
      </div>
      {demo.isPending && (
        <p role="status" className="mt-2 text-ink-soft">
          The demo lives through its first ninety days; this takes about ten seconds…
        </p>
      )}
      {demo.error && <ErrorNote error={demo.error} />}
      <p className="mt-8 text-ink-soft">
        The document's shape is in <code>docs/estate.schema.json</code>; <code>ripen check FILE</code> tells what is wrong with
        one.
      </p>
    </section>
  );
}
