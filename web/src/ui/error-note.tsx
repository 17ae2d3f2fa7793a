import { ApiError } from "../refusal";

/** What went wrong, in words, with every problem and its place in the document. */
export function ErrorNote({ error }: { error: Error }) {
  const problems = error instanceof ApiError ? error.problems : [];
  return (
    <div role="alert" className="my-3 border-l-4 border-bad px-4 py-2">
      <p className="text-bad">{error.message}</p>
      {problems.length > 1 && (
        <ul className="mt-1 max-h-60 list-disc overflow-auto pl-5 text-sm">
          {problems.map((problem) => (
            <li key={problem.path + problem.code}>
              <code>{problem.path}</code>: {problem.message}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
