import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { makeCredential, readCredentials } from "../../api/client";
import { keys } from "../../api/keys";
import { Button, Field, Select } from "../../ui/controls";
import { done } from "../../ui/toasts";
import { CredentialForm } from "./credential-form";

type ChoiceProps = { value: string; error?: string; disabled?: boolean; onChange: (id: string) => void };

/** With which credential a target's bucket is reached: one that is kept, one that is added here, or none. */
export function CredentialChoice({ value, error, disabled, onChange }: ChoiceProps) {
  const all = useQuery({ queryKey: keys.credentials, queryFn: readCredentials });
  const [making, setMaking] = useState(false);
  const known = all.data ?? [];
  const chosen = known.find((c) => c.id === value);
  return (
    <div>
      <Field label="The bucket is reached" error={error} hint={chosen?.warning ?? undefined}>
        {(ids) => (
          <Select
            {...ids}
            value={value}
            disabled={disabled}
            options={[
              { value: "", label: "as its owner" },
              ...known.map((c) => ({ value: c.id, label: `with ${c.name}` })),
              ...(value && !chosen && all.data ? [{ value, label: `with ${value}, which is not here` }] : []),
            ]}
            onChange={(e) => onChange(e.target.value)}
          />
        )}
      </Field>
      {!making && (
        <Button kind="quiet" className="text-sm" onClick={() => setMaking(true)}>
          New credential…
        </Button>
      )}
      {making && (
        <CredentialForm
          named
          action="Keep it"
          save={makeCredential}
          onClose={() => setMaking(false)}
          onKept={(answer) => {
            if (answer.trimmed) done("Blanks around the key or its secret were left out.");
            setMaking(false);
            void all.refetch().then(() => onChange(answer.credential.id));
          }}
        />
      )}
    </div>
  );
}
