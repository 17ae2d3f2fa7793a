import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { type PriceBook, putOffers, readOffers } from "../../api/client";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { newId } from "../../ui/new-id";
import { done } from "../../ui/toasts";

/** Keeps the price book as it is typed beside the one in force, under a name. */
export function KeepOffer({ book }: { book: PriceBook }) {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const keep = useMutation({
    mutationFn: async () => {
      const { value, etag } = await readOffers();
      return putOffers([...value.offers, { id: newId("offer", value.offers), name: name.trim(), prices: book }], etag);
    },
    onSuccess: async () => {
      await queries.invalidateQueries();
      done(`Kept as the offer “${name.trim()}”.`);
      setName("");
    },
  });
  return (
    <section className="mt-6 border-t border-hairline pt-3" aria-label="Offers">
      <h2 className="font-serif">Beside these</h2>
      <p className="mt-1 text-sm text-ink-soft">
        A price book can be kept as an offer and compared: <Link to="/offers">offers side by side</Link>.
      </p>
      <form
        className="mt-1 flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) keep.mutate();
        }}
      >
        <Field label="Keep what is typed as">
          {(ids) => <input {...ids} className={`${inputLook} w-40`} value={name} onChange={(e) => setName(e.target.value)} />}
        </Field>
        <Button type="submit" disabled={!name.trim() || keep.isPending}>
          Keep
        </Button>
      </form>
      {keep.error && <ErrorNote error={keep.error} />}
    </section>
  );
}
