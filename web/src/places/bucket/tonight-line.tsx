import { useQuery } from "@tanstack/react-query";
import { Fragment } from "react";
import { Link } from "react-router";
import { readNight } from "../../api/client";
import { keys } from "../../api/keys";
import { count } from "../../format";

const words = {
  expires: "expire",
  "steps-back": "become earlier versions",
  moves: "move",
  "comes-back": "come back",
  discards: "removed",
};

/** Under the strip: what the applied rules do to this bucket when today is closed, by rule. */
export function TonightLine({ bucket }: { bucket: string }) {
  const night = useQuery({ queryKey: keys.tonight(bucket), queryFn: () => readNight(false, bucket, 0), retry: false });
  if (!night.data) return <p className="h-6" />;
  const rules = new Map<string, string[]>();
  for (const s of night.data.sums) {
    const rule = s.rule ?? (s.deed === "discards" ? "uploads that nobody completed" : "later arrivals");
    rules.set(rule, [...(rules.get(rule) ?? []), `${count(s.objects)} ${words[s.deed]}`]);
  }
  return (
    <p className="truncate text-sm text-ink-soft">
      Tonight:{" "}
      {rules.size === 0
        ? "rules do nothing here"
        : [...rules].map(([rule, deeds], i) => (
            <Fragment key={rule}>
              {i > 0 && "; "}
              <span className="text-ink">{rule}</span> {deeds.join(", ")}
            </Fragment>
          ))}
      . <Link to={`/tonight?bucket=${bucket}`}>One by one</Link>
    </p>
  );
}
