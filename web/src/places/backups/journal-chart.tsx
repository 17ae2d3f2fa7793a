import type { VolumeSample } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, moment } from "../../format";
import { linear } from "../../ui/linear";
import { useWidth } from "../../ui/use-width";

const height = 92;
const left = 4;

type JournalChartProps = { samples: VolumeSample[]; journalBytes: number; readBytes: number };

/** The local disk over the last hour: the journal from the ground up, what is near from the top down, each against its share. */
export function JournalChart(props: JournalChartProps) {
  const last = props.samples.at(-1);
  if (!last || props.samples.length < 2)
    return <p className="text-ink-soft">The picture of its local disk begins in a few seconds.</p>;
  return <Picture {...props} last={last} />;
}

function Picture({ samples, journalBytes, readBytes, last }: JournalChartProps & { last: VolumeSample }) {
  const { bytes } = useEstate();
  const [ref, width] = useWidth<HTMLDivElement>();
  const begin = new Date(samples[0]?.at ?? last.at).getTime();
  const end = new Date(last.at).getTime();
  const x = linear([begin, Math.max(end, begin + 1)], [left, Math.max(left + 1, width - left)]);
  const journal = linear([0, journalBytes], [height, height / 2 + 2]);
  const near = linear([0, Math.max(1, readBytes)], [0, height / 2 - 2]);
  const area = (base: number, y: (s: VolumeSample) => number) =>
    `M${x(begin).toFixed(1)} ${base}${samples.map((s) => `L${x(new Date(s.at).getTime()).toFixed(1)} ${y(s).toFixed(1)}`).join("")}L${x(end).toFixed(1)} ${base}Z`;
  const most = Math.max(...samples.map((s) => s.journalBytes));
  return (
    <div>
      <h2 className="text-xl">Local disk</h2>
      <p className="text-sm text-ink-soft">
        Since {moment(samples[0]?.at ?? last.at)}: the journal held {most === 0 ? "nothing" : `at most ${bytes(most)}`} of{" "}
        {bytes(journalBytes)}; {bytes(last.cachedBytes)} of {bytes(readBytes)} lie near.
      </p>
      <div ref={ref} className="mt-1 max-w-3xl">
        <svg
          width={width}
          height={height}
          role="img"
          aria-label={`Journal and read share over ${count((end - begin) / 60_000, 0)} minutes: the journal now holds ${bytes(last.journalBytes)}, ${bytes(last.cachedBytes)} are near.`}
        >
          <path d={area(0, (s) => near(Math.min(readBytes, s.cachedBytes)))} fill="var(--paper-deep)" stroke="var(--ink-soft)" />
          <path d={area(height, (s) => journal(Math.min(journalBytes, s.journalBytes)))} fill="var(--accent)" opacity="0.75" />
          <line
            x1={left}
            x2={width - left}
            y1={height / 2}
            y2={height / 2}
            stroke="var(--hairline-strong)"
            strokeDasharray="2 3"
          />
          <line x1={left} x2={width - left} y1={height - 0.5} y2={height - 0.5} stroke="var(--hairline-strong)" />
          <text x={left + 4} y={14} fontSize="12" fill="var(--ink-soft)">
            near, from the top
          </text>
          <text x={left + 4} y={height - 6} fontSize="12" fill="var(--ink-soft)">
            journal, from the ground
          </text>
        </svg>
      </div>
    </div>
  );
}
