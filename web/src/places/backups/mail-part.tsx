import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { attachmentOf, type MailPlace, readMessage, restoreMessage, wholeMessage } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { done } from "../../ui/toasts";
import { useTargets } from "./use-backups";

/** A message as text: nothing is shown otherwise, and nothing is fetched. */
export function MailPart({ subject, place }: { subject: string; place: MailPlace }) {
  const { bytes } = useEstate();
  const message = useQuery({
    queryKey: keys.message([place.target, place.point, place.path, place.at]),
    queryFn: ({ signal }) => readMessage(place, signal),
  });
  if (message.error) return <ErrorNote error={message.error} />;
  if (!message.data) return <div className="h-40" />;
  const { from, to, cc, text, wasHtml, attachments } = message.data;
  const people = (
    [
      ["From", from],
      ["To", to],
      ["Copy", cc],
    ] as const
  ).filter(([, who]) => who !== "");
  return (
    <section aria-label={`Message: ${subject}`} className="border-l-2 border-accent pl-4">
      <dl className="grid grid-cols-[4rem_1fr] text-sm">
        {people.map(([label, who]) => (
          <div key={label} className="contents">
            <dt className="text-ink-soft">{label}</dt>
            <dd className="wrap-anywhere">{who}</dd>
          </div>
        ))}
      </dl>
      {wasHtml && <p className="mt-2 text-sm text-ink-soft">Its text, out of a page; pictures and links are left out.</p>}
      <p className="mt-2 max-w-3xl whitespace-pre-wrap wrap-anywhere">{text}</p>
      {attachments.length > 0 && (
        <ul className="mt-2">
          {attachments.map((a, i) => (
            <li key={i}>
              <a href={attachmentOf(place, i)} download>
                {a.name}
              </a>{" "}
              <span className="text-sm text-ink-soft">
                {a.type}, {bytes(a.bytes)}
              </span>
            </li>
          ))}
        </ul>
      )}
      <PutBack place={place} />
    </section>
  );
}

function PutBack({ place }: { place: MailPlace }) {
  const roots = useTargets().data?.value.roots ?? [];
  const [into, setInto] = useState("");
  const back = useMutation({
    mutationFn: () => restoreMessage(place, into),
    onSuccess: () => done(`Put back at the end of ${into}.`),
  });
  const refused = back.error instanceof ApiError ? back.error : null;
  const wrong = useProblems(refused?.problems);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    back.mutate();
  };
  return (
    <form onSubmit={submit} className="mt-3">
      <div className="flex flex-wrap items-start gap-x-6 gap-y-2">
        <p className="pt-4">
          <a href={wholeMessage(place)} download>
            Download it (.eml)
          </a>
        </p>
        <Field
          label="or put it back into the mailbox"
          error={wrong("$.into")}
          hint={`a file below ${roots.join(" or ") || "no folder: the settings allow none"}; made if it is not there`}
        >
          {(ids) => (
            <input
              {...ids}
              autoComplete="off"
              spellCheck={false}
              className={`${inputLook} w-80`}
              placeholder={roots[0] && `${roots[0]}/restored.mbox`}
              value={into}
              onChange={(e) => setInto(e.target.value)}
            />
          )}
        </Field>
        <div className="pt-4">
          <Button type="submit" disabled={into === "" || back.isPending}>
            Put back
          </Button>
        </div>
      </div>
      {back.error && !wrong("$.into") && <ErrorNote error={back.error} />}
    </form>
  );
}
