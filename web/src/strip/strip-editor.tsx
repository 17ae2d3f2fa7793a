import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import type { AgeAxis, AgeStrip, LifecycleRule, TierContents } from "../api/client";
import { useEstate } from "../estate-context";
import { age as ageInWords } from "../format";
import { useWidth } from "../ui/use-width";
import { ageScale } from "./axis";
import { AgeAxisLabels, AgeRules, HeldMark, Histogram, KeepBracket, Lane, laneName } from "./marks";

/** One lane has room; several stand closer, so that five rules fit beside the forms that change them. */
const sizes = (lanes: number) =>
  lanes === 1
    ? { histogramHeight: 96, laneHeight: 28, laneGap: 26 }
    : lanes <= 3
      ? { histogramHeight: 72, laneHeight: 20, laneGap: 24 }
      : { histogramHeight: 52, laneHeight: 16, laneGap: 22 };

type EditorProps = {
  axis: AgeAxis;
  strip: AgeStrip;
  contents: TierContents[];
  rules: LifecycleRule[];
  onStep: (ruleId: string, step: number, age: number) => void;
  onExpiry: (ruleId: string, age: number) => void;
};

/** The strip large: the same marks as on the board, with a handle on every step and every expiry. */
export function StripEditor({ axis, strip, contents, rules, onStep, onExpiry }: EditorProps) {
  const { tierName } = useEstate();
  const [box, width] = useWidth<HTMLDivElement>();
  const scale = ageScale(axis, width);
  const { histogramHeight, laneHeight, laneGap } = sizes(strip.lanes.length);
  const laneTop = (i: number) => histogramHeight + i * (laneHeight + laneGap);
  const rulesOf = (lane: AgeStrip["lanes"][number]) => rules.filter((rule) => lane.rules.includes(rule.id));
  // The lane's own name stands at the left under it.
  const places = strip.lanes.map((lane) => labelled(rulesOf(lane), scale.at, nameWidth(lane), width));
  const kept = strip.keepDays != null || strip.keepUntil != null;
  const height = laneTop(strip.lanes.length) - (kept ? 0 : 8) + (kept ? 20 : 0);
  return (
    <div ref={box} className="min-w-0">
      {width > 0 && (
        <>
          <AgeAxisLabels scale={scale} width={width} />
          <svg width={width} height={height} className="block touch-none overflow-visible select-none">
            <title>Age strip: bytes by age above, tiers by age below</title>
            <AgeRules scale={scale} height={laneTop(strip.lanes.length) - laneGap} />
            <Histogram axis={axis} scale={scale} contents={contents} height={histogramHeight} />
            {strip.lanes.map((lane, i) => (
              <g key={`${lane.applies} ${lane.prefix} ${lane.rules.join()}`} transform={`translate(0 ${laneTop(i)})`}>
                <Lane lane={lane} scale={scale} width={width} height={laneHeight} named />
                {(strip.lanes.length > 1 || lane.prefix) && (
                  <text y={laneHeight + 15} fontSize={12} fill="var(--ink-soft)">
                    {laneName(lane)}
                  </text>
                )}
                <HeldMark lane={lane} scale={scale} width={width} height={laneHeight} />
                {rulesOf(lane).map((rule) => (
                  <g key={rule.id}>
                    {(rule.steps ?? []).map((step, s) => (
                      <Handle
                        key={s}
                        labelAt={places[i]?.get(`${rule.id} ${s}`) ?? null}
                        laneHeight={laneHeight}
                        label={`Step to ${tierName(step.tier)}${step.clock === "read" ? " when unread" : ""}${ofLane(lane)}`}
                        unread={step.clock === "read"}
                        age={step.age}
                        least={0}
                        axis={axis}
                        width={width}
                        onChange={(age) => onStep(rule.id, s, between(rule, s, age))}
                      />
                    ))}
                    {rule.expireAt != null && (
                      <Handle
                        labelAt={places[i]?.get(`${rule.id} end`) ?? null}
                        laneHeight={laneHeight}
                        label={`Expiry${ofLane(lane)}`}
                        age={rule.expireAt}
                        least={1}
                        axis={axis}
                        width={width}
                        expiry
                        onChange={(age) => onExpiry(rule.id, age)}
                      />
                    )}
                  </g>
                ))}
              </g>
            ))}
            <g transform={`translate(0 ${laneTop(strip.lanes.length) - laneGap + 24})`}>
              <KeepBracket strip={strip} scale={scale} width={width} labelled />
            </g>
          </svg>
        </>
      )}
    </div>
  );
}

/** A hand cannot push a step past its neighbours: a later step is always colder. */
function between(rule: LifecycleRule, step: number, age: number): number {
  const ages = (rule.steps ?? []).map((s) => s.age);
  const own = ages[step] ?? 0;
  const below = Math.max(-1, ...ages.filter((a) => a < own));
  const above = Math.min(Number.MAX_SAFE_INTEGER, ...ages.filter((a) => a > own));
  return Math.min(Math.max(age, below + 1), above - 1);
}

/** Where the ages of a lane's handles are written: those that would lie on the one before step aside, and those without room are left out. */
type StripLane = AgeStrip["lanes"][number];

const ofLane = (lane: StripLane) =>
  `${lane.prefix ? ` under ${lane.prefix}` : ""}${lane.applies === "earlier" ? ", earlier versions" : ""}`;

const nameWidth = (lane: StripLane) => (lane.prefix || lane.applies === "earlier" ? laneName(lane).length * 6.6 + 8 : 0);

const stepWords = (age: number, unread: boolean) => (unread ? `${age} unread` : `day ${age}`);

function labelled(rules: LifecycleRule[], at: (age: number) => number, from: number, width: number) {
  const handles = rules.flatMap((rule) => [
    ...(rule.steps ?? []).map((step, s) => ({
      key: `${rule.id} ${s}`,
      age: step.age,
      words: stepWords(step.age, step.clock === "read"),
    })),
    ...(rule.expireAt == null ? [] : [{ key: `${rule.id} end`, age: rule.expireAt, words: `ends ${ageInWords(rule.expireAt)}` }]),
  ]);
  const places = new Map<string, number>();
  let free = from;
  for (const handle of handles.toSorted((a, b) => a.age - b.age)) {
    const half = handle.words.length * 3.1;
    const centre = Math.min(Math.max(at(handle.age), half, free + half), width - half);
    if (centre - half < free - 0.5 || centre - at(handle.age) > 3 * half) continue;
    places.set(handle.key, centre);
    free = centre + half + 8;
  }
  return places;
}

type HandleProps = {
  /** Where its age is written; null where there is no room. */
  labelAt: number | null;
  laneHeight: number;
  label: string;
  age: number;
  least: number;
  axis: AgeAxis;
  width: number;
  expiry?: boolean;
  unread?: boolean;
  onChange: (age: number) => void;
};

const nudges: Record<string, number> = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageDown: -30, PageUp: 30 };

export function Handle({
  label,
  labelAt,
  laneHeight,
  age,
  least,
  axis,
  width,
  expiry = false,
  unread = false,
  onChange,
}: HandleProps) {
  const scale = ageScale(axis, width);
  const grip = useRef<SVGGElement>(null);
  const x = scale.at(age);
  const move = (to: number) => onChange(Math.max(least, to));

  const onKeyDown = (event: KeyboardEvent) => {
    const nudge = nudges[event.key];
    if (nudge === undefined && event.key !== "Home") return;
    event.preventDefault();
    event.stopPropagation();
    move(nudge === undefined ? least : age + nudge * (event.shiftKey ? 7 : 1));
  };
  const onPointerMove = (event: PointerEvent) => {
    if (!grip.current?.hasPointerCapture(event.pointerId)) return;
    const left = grip.current.ownerSVGElement?.getBoundingClientRect().left ?? 0;
    move(scale.age(event.clientX - left));
  };
  return (
    <g
      ref={grip}
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={least}
      aria-valuemax={axis.oldest}
      aria-valuenow={age}
      aria-valuetext={unread ? `${age} days unread` : `day ${age}`}
      transform={`translate(${x} 0)`}
      className="group cursor-ew-resize outline-none"
      onKeyDown={onKeyDown}
      onPointerDown={(event) => {
        grip.current?.setPointerCapture(event.pointerId);
        grip.current?.focus();
      }}
      onPointerMove={onPointerMove}
    >
      <rect x={-12} y={-12} width={24} height={Math.max(24, laneHeight + 16)} fill="transparent" />
      <path d={`M0 -6V${laneHeight + 4}`} stroke="var(--ink)" strokeWidth={2} strokeDasharray={unread ? "3 3" : undefined} />
      <path
        d={expiry ? "M-5 -10H5V-4H-5Z" : "M-6 -11H6L0 -3Z"}
        fill="var(--paper)"
        stroke="var(--ink)"
        strokeWidth={1.6}
        className="group-hover:fill-(--accent) group-focus-visible:fill-(--accent) group-focus-visible:stroke-(--accent)"
      />
      <rect
        x={-11}
        y={-14}
        width={22}
        height={laneHeight + 22}
        rx={3}
        fill="none"
        stroke="var(--accent)"
        strokeWidth={2}
        className="opacity-0 group-focus-visible:opacity-100"
      />
      {labelAt !== null && (
        <text x={labelAt - x} y={laneHeight + 15} fontSize={12} fill="var(--ink)" textAnchor="middle">
          {expiry ? `ends ${ageInWords(age)}` : stepWords(age, unread)}
        </text>
      )}
    </g>
  );
}
