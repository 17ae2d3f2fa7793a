import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { type FoundMail, findMail, type MailPlace, type MailQuestion } from "../../api/client";
import { keys } from "../../api/keys";
import { count, moment } from "../../format";
import { useAddress } from "../../ui/address";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { useSettled } from "../../ui/use-settled";
import { MailPart } from "./mail-part";
import { useTargets } from "./use-backups";

const fields = [
  ["from", "From"],
  ["to", "To"],
  ["subject", "Subject"],
  ["attachment", "Attachment's name"],
  ["since", "Sent since"],
  ["until", "Sent until"],
] as const;

const keyOf = ({ places: [first] }: FoundMail) => first && `${first.target} ${first.point} ${first.path} ${first.at}`;

/** A message in the mailboxes of all restore points: to be read, had again as a file, or put back into a mailbox. */
export function FindMailPage() {
  usePageTitle("Find a mail");
  const { params, set } = useAddress();
  // The address follows what is typed, and may be behind it.
  const [typed, setTyped] = useState<MailQuestion>(Object.fromEntries(fields.map(([part]) => [part, params.get(part) ?? ""])));
  const asked = useSettled(JSON.stringify(fields.flatMap(([part]) => (typed[part]?.trim() ? [[part, typed[part]]] : []))));
  const query = Object.fromEntries(JSON.parse(asked)) as MailQuestion;
  const isAsked = Object.keys(query).length > 0;
  const targets = useTargets();
  const found = useQuery({
    queryKey: keys.foundMail(query),
    queryFn: ({ signal }) => findMail(query, signal),
    enabled: isAsked,
    placeholderData: keepPreviousData,
  });
  const shown = isAsked ? found.data : undefined;
  const nameOf = (id: string) => targets.data?.value.targets.find((t) => t.target.id === id)?.target.name ?? id;
  const open = params.get("open");
  return (
    <div className="px-6 pb-24">
      <p className="pt-5">
        <Link to="/backups">Backups</Link>
        <Link to="/find" className="pl-6">
          Find a file
        </Link>
      </p>
      <h1 className="text-3xl">Find a mail</h1>
      <p className="mt-1 text-sm text-ink-soft">
        In every restore point of every pool: in files that end in .mbox or .mbx, and in the folders cur and new of a Maildir.
      </p>
      <div className="mt-3 flex flex-wrap gap-x-6 gap-y-3">
        {fields.map(([part, label]) => (
          <Field key={part} label={label}>
            {(ids) => (
              <input
                {...ids}
                type={part === "since" || part === "until" ? "date" : "text"}
                className={`${inputLook} w-44`}
                autoComplete="off"
                spellCheck={false}
                value={typed[part] ?? ""}
                onChange={(e) => {
                  setTyped({ ...typed, [part]: e.target.value });
                  set(part, e.target.value || null);
                }}
              />
            )}
          </Field>
        ))}
      </div>
      {isAsked && found.error && <ErrorNote error={found.error} />}
      <p role="status" className="mt-3 text-ink-soft">
        {shown && (
          <>
            {shown.mails.length === 0
              ? "No message"
              : `${shown.isMore ? "The newest " : ""}${count(shown.mails.length)} ${shown.mails.length === 1 ? "message" : "messages"}`}{" "}
            in {count(shown.points)} points{shown.isMore && ": say more of it to see the others"}.
          </>
        )}
      </p>
      {shown?.notSearched.map((n) => (
        <p key={`${n.target} ${n.why}`} className="mt-1 border-l-4 border-bad px-3">
          Not searched, {nameOf(n.target)}: {n.why}
        </p>
      ))}
      {shown && shown.mails.length > 0 && (
        <table className="mt-3 w-full">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="w-72 py-1 font-normal">subject</th>
              <th className="font-normal">from, to</th>
              <th className="font-normal">sent</th>
              <th className="font-normal">in points</th>
            </tr>
          </thead>
          {shown.mails.map((mail) => (
            <tbody key={keyOf(mail)} className="border-b border-hairline">
              <MailRow
                mail={mail}
                nameOf={nameOf}
                isOpen={open === keyOf(mail)}
                onOpen={(is) => set("open", is ? (keyOf(mail) ?? null) : null)}
              />
            </tbody>
          ))}
        </table>
      )}
    </div>
  );
}

type RowProps = { mail: FoundMail; nameOf: (target: string) => string; isOpen: boolean; onOpen: (is: boolean) => void };

function MailRow({ mail, nameOf, isOpen, onOpen }: RowProps) {
  const [first] = mail.places;
  return (
    <>
      <tr className="align-top">
        <th scope="row" className="py-1.5 pr-6 text-left font-normal wrap-anywhere">
          <Button kind="quiet" className="-ml-3 text-left" aria-expanded={isOpen} onClick={() => onOpen(!isOpen)}>
            {mail.subject || "without a subject"}
          </Button>
          {mail.attachments.length > 0 && <span className="block text-sm text-ink-soft">with {mail.attachments.join(", ")}</span>}
        </th>
        <td className="py-1.5 pr-6 wrap-anywhere">
          {mail.from}
          <span className="block text-sm text-ink-soft">{mail.to}</span>
        </td>
        <td className="py-1.5 pr-6 whitespace-nowrap">{mail.date ? moment(mail.date) : "–"}</td>
        <td className="py-1.5">
          {mail.places.map((p) => (
            <span key={`${p.target} ${p.workload}`} className="block">
              {nameOf(p.target)}: {spanOf(p)}
              <span className="block text-sm text-ink-soft">
                in {count(p.points)} {p.points === 1 ? "point" : "points"}, {p.path}
              </span>
            </span>
          ))}
        </td>
      </tr>
      {isOpen && first && (
        <tr>
          <td colSpan={4} className="pb-5">
            <MailPart subject={mail.subject} place={first} />
          </td>
        </tr>
      )}
    </>
  );
}

/** From which points on it is there, and until when. */
const spanOf = (place: MailPlace) =>
  place.isThere
    ? `since ${moment(place.firstTaken)}`
    : `${place.points === 1 ? "" : `${moment(place.firstTaken)} to `}${moment(place.lastTaken)}, not in the newest`;
