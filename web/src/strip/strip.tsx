import type { AgeAxis, AgeStrip, TierContents } from "../api/client";
import { ageScale } from "./axis";
import { AgeRules, Histogram, KeepBracket, Lane, useStripWords } from "./marks";

const histogramHeight = 30;
const lanesHeight = 16;
const bracketHeight = 7;

type StripProps = { axis: AgeAxis; strip: AgeStrip; contents: TierContents[]; width: number };

/** A bucket's age strip as it stands on the board. */
export function Strip({ axis, strip, contents, width }: StripProps) {
  const words = useStripWords();
  const scale = ageScale(axis, width);
  const laneHeight = lanesHeight / strip.lanes.length;
  return (
    <svg
      width={width}
      height={histogramHeight + lanesHeight + bracketHeight}
      role="img"
      aria-label={words(strip)}
      className="block"
    >
      <AgeRules scale={scale} height={histogramHeight} />
      <Histogram axis={axis} scale={scale} contents={contents} height={histogramHeight} />
      {strip.lanes.map((lane, i) => (
        <g
          key={`${lane.applies} ${lane.prefix} ${lane.rules.join()}`}
          transform={`translate(0 ${histogramHeight + i * laneHeight})`}
        >
          <Lane
            lane={lane}
            scale={scale}
            width={width}
            height={Math.max(2, laneHeight - (i < strip.lanes.length - 1 ? 1 : 0))}
            named={strip.lanes.length === 1}
          />
        </g>
      ))}
      <g transform={`translate(0 ${histogramHeight + lanesHeight + 1})`}>
        <KeepBracket strip={strip} scale={scale} width={width} labelled={false} />
      </g>
    </svg>
  );
}
