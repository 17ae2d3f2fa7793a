import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { decideStores, readEncryption, readStores, rotateProviderKey, type StoresChoice } from "../../api/client";
import { keys } from "../../api/keys";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { TypedConfirmation } from "../../ui/typed-confirmation";
import { SealFacts } from "../bucket/access/encryption-part";

const choices: Record<StoresChoice, { word: string; title: string; says: string }> = {
  "take-folder": {
    word: "folder",
    title: "Take the folder's state",
    says: "What the provider's folder follows becomes the estate again. Objects stay as they are; decisions that only the database knows are given up, and the log keeps the document.",
  },
  "take-database": {
    word: "database",
    title: "Take the database's state",
    says: "What the database says becomes the provider's plan. Objects of buckets that both know stay; buckets that the database does not know go, unless something in them is kept.",
  },
};

/** What encrypts the contents of buckets that have no key of their own. */
function ProvidersKey() {
  const queries = useQueryClient();
  const seal = useQuery({ queryKey: keys.encryption(null), queryFn: readEncryption });
  const rotate = useMutation({
    mutationFn: rotateProviderKey,
    onSuccess: () => queries.invalidateQueries({ queryKey: ["encryption"] }),
  });
  if (!seal.data) return null;
  return (
    <section aria-label="Encryption at rest" className="mt-8 border-t border-hairline pt-4">
      <h2 className="text-xl">Encryption at rest</h2>
      <SealFacts seal={seal.data} />
      <p className="mt-2">
        <ConfirmButton
          label="Replace the key"
          about="of the provider"
          question="What is there is taken over without being rewritten. Replace it?"
          onConfirm={() => rotate.mutate()}
        />
      </p>
      {rotate.error && <ErrorNote error={rotate.error} />}
    </section>
  );
}

/** When the database and the provider's folder do not belong together: what is the case, and what can be done. */
export function StoresPlace() {
  usePageTitle("Stores");
  const queries = useQueryClient();
  const stores = useQuery({ queryKey: ["stores"], queryFn: readStores });
  const [choosing, setChoosing] = useState<StoresChoice | null>(null);
  const decide = useMutation({
    mutationFn: (choice: StoresChoice) => decideStores(choice, choices[choice].word),
    onSuccess: async () => {
      setChoosing(null);
      await queries.invalidateQueries();
    },
  });
  if (stores.error && !stores.data) return <ErrorPage what="Database and folder" error={stores.error} />;
  if (!stores.data) return null;
  const { standing, words, reason, database, folder } = stores.data;
  return (
    <section className="mx-auto max-w-3xl px-6 py-10">
      <h1 className="text-3xl">{standing === "together" ? "Two stores, one truth" : "Database and folder differ"}</h1>
      <p className="mt-3 text-lg">{words}</p>
      {reason && <p className="mt-2 border-l-4 border-bad px-3">{reason}</p>}
      {(database || folder) && (
        <table className="mt-5 w-full">
          <thead className="text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 text-left font-normal">store</th>
              <th className="text-left font-normal">origin</th>
              <th className="text-right font-normal">version of the estate</th>
              <th className="pl-6 text-left font-normal">buckets</th>
            </tr>
          </thead>
          <tbody>
            {[
              { name: "the database", side: database },
              { name: "the provider's folder", side: folder },
            ].map(({ name, side }) => (
              <tr key={name} className="border-b border-hairline align-top">
                <th scope="row" className="py-1.5 pr-6 text-left font-normal whitespace-nowrap">
                  {name}
                </th>
                <td className="py-1.5">{side?.identity ? side.identity.slice(0, 8) : "none"}</td>
                <td className="py-1.5 text-right">{side?.version ?? 0}</td>
                <td className="py-1.5 pl-6">{side?.buckets.join(", ") || "–"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {standing !== "together" && (
        <p className="mt-4 text-ink-soft">
          Until you decide, what the folder follows can be looked at, downloaded and exported; nothing can be changed.
        </p>
      )}
      {stores.data.choices.map((choice) => (
        <div key={choice} className="mt-5 border-t border-hairline pt-4">
          <h2 className="text-xl">{choices[choice].title}</h2>
          <p className="mt-1 mb-2">{choices[choice].says}</p>
          {choosing === choice ? (
            <TypedConfirmation
              word={choices[choice].word}
              action={choices[choice].title}
              busy={decide.isPending}
              onConfirm={() => decide.mutate(choice)}
              onCancel={() => setChoosing(null)}
            />
          ) : (
            <Button onClick={() => setChoosing(choice)}>{choices[choice].title}…</Button>
          )}
        </div>
      ))}
      {decide.error && <ErrorNote error={decide.error} />}
      <ProvidersKey />
    </section>
  );
}
