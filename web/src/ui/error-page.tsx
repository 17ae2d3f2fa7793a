import { ErrorNote } from "./error-note";

/** A whole page that cannot be shown, and why. */
export function ErrorPage({ what, error }: { what: string; error: Error }) {
  return (
    <div className="px-6">
      <h1 className="pt-5 text-3xl">{what}</h1>
      <ErrorNote error={error} />
    </div>
  );
}
