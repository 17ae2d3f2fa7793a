import { useQuery } from "@tanstack/react-query";
import { usePageTitle } from "../../ui/page-title";

type Operation = { summary?: string; tags?: string[]; parameters?: { name: string; in: string; description?: string }[] };
type Document = { info: { title: string; description?: string }; paths: Record<string, Record<string, Operation>> };

/** The HTTP interface, read from the server's own OpenAPI document. */
export function ReferencePlace() {
  usePageTitle("HTTP interface");
  const document = useQuery({
    queryKey: ["openapi"],
    queryFn: async () => (await fetch("/openapi/v1.json")).json() as Promise<Document>,
  }).data;
  if (!document) return null;
  return (
    <div className="max-w-4xl px-6 pb-24">
      <h1 className="py-5 text-3xl">HTTP interface</h1>
      <p>{document.info.description}</p>
      <p className="my-3">
        The whole of it, with every schema: <a href="/openapi/v1.json">/openapi/v1.json</a>
      </p>
      <dl>
        {Object.entries(document.paths).flatMap(([path, operations]) =>
          Object.entries(operations).map(([method, operation]) => (
            <div key={method + path} className="grid grid-cols-[22rem_1fr] gap-x-6 border-t border-hairline py-2">
              <dt>
                <code>
                  {method.toUpperCase()} {path}
                </code>
              </dt>
              <dd>
                {operation.summary}
                {(operation.parameters ?? [])
                  .filter((p) => p.description)
                  .map((p) => (
                    <span key={p.name} className="block text-sm text-ink-soft">
                      <code>{p.name}</code>: {p.description}
                    </span>
                  ))}
              </dd>
            </div>
          )),
        )}
      </dl>
    </div>
  );
}
