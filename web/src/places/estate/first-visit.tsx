import { Link } from "react-router";
import { Button } from "../../ui/controls";
import { useKept } from "../../ui/use-kept";

const marks = [
  {
    title: "A strip is a bucket's age",
    text: "New on the left, years old on the right; what stands on it is what lies there, in the tier where it lies. Open a bucket, and its steps are handles on the strip.",
  },
  {
    title: "The rail is the calendar",
    text: "Drag its marker, or press , and . — the whole board shows that day: counted up to today, projected from there on.",
  },
  {
    title: "Nothing is done before you see it",
    text: "Every change is a draft: what it moves, costs and breaks stands beside it until you apply it, and the log takes it back.",
  },
];

/** Three marks for somebody who sees the board for the first time, until they are dismissed. */
export function FirstVisit() {
  const [seen, setSeen] = useKept("ripen-first-visit-over", false);
  if (seen) return null;
  return (
    <aside aria-label="How to read the board" className="no-print mb-3 border-y border-hairline bg-paper-deep px-4 py-2">
      <ol className="grid grid-cols-3 gap-x-8 max-lg:grid-cols-1">
        {marks.map((mark, i) => (
          <li key={mark.title} className="flex gap-3">
            <span aria-hidden="true" className="font-serif text-2xl leading-none text-accent">
              {i + 1}
            </span>
            <span className="text-sm">
              <strong className="font-medium">{mark.title}.</strong> {mark.text}
            </span>
          </li>
        ))}
      </ol>
      <p className="mt-1 flex items-baseline gap-4 text-sm">
        <Button kind="quiet" onClick={() => setSeen(true)}>
          Understood
        </Button>
        <Link to="/about">What Ripen computes</Link>
      </p>
    </aside>
  );
}
