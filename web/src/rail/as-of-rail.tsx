import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import { day } from "../format";
import { useKeys } from "../ui/keys";
import { linear } from "../ui/linear";
import { useWidth } from "../ui/use-width";
import { useAsOf } from "./as-of";

const keys: Record<string, number> = { ",": -1, ".": 1, "<": -12, ">": 12 };
const sliderKeys: Record<string, number> = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageDown: -12, PageUp: 12 };

/** The calendar from the estate's today to the horizon; its marker sets the day that the whole page shows. */
export function AsOfRail({ months }: { months: string[] }) {
  const { day: on, projected, at, goTo, goBy } = useAsOf(months);
  const [box, width] = useWidth<HTMLDivElement>();
  const grip = useRef<SVGGElement>(null);
  // As many years are named as have room.
  const every = width > 0 ? Math.ceil(44 / (((width - 20) / Math.max(1, months.length - 1)) * 12)) : 1;
  const x = linear([0, months.length - 1], [10, Math.max(11, width - 10)]);

  useKeys((key) => {
    const by = keys[key];
    if (by !== undefined) goBy(by);
    else if (key === "t") goTo(0);
    return by !== undefined || key === "t";
  });

  const toPointer = (event: PointerEvent) =>
    goTo(Math.round(x.invert(event.clientX - (box.current?.getBoundingClientRect().left ?? 0))));
  const onKeyDown = (event: KeyboardEvent) => {
    const by = sliderKeys[event.key];
    if (by === undefined && event.key !== "Home" && event.key !== "End") return;
    event.preventDefault();
    if (by !== undefined) goBy(by);
    else goTo(event.key === "Home" ? 0 : months.length - 1);
  };
  return (
    <div className="rail flex min-w-0 flex-1 items-center gap-4">
      <div ref={box} className="h-9 min-w-0 flex-1">
        {width > 0 && (
          <svg width={width} height={36} className="block touch-none overflow-visible select-none" onPointerDown={toPointer}>
            <title>Calendar from today to the horizon</title>
            <rect width={width} height={36} fill="transparent" />
            <line
              x1={x(0)}
              x2={x(months.length - 1)}
              y1={12}
              y2={12}
              stroke="var(--hairline-strong)"
              strokeDasharray="1 3"
              strokeWidth={2}
            />
            <line x1={x(0)} x2={x(at)} y1={12} y2={12} stroke="var(--accent)" strokeWidth={2} />
            {months.map((month, i) =>
              i === 0 || month.endsWith("-01") ? (
                <g key={month} transform={`translate(${x(i)} 0)`}>
                  <line y1={8} y2={16} stroke="var(--ink-soft)" />
                  {(i === 0 ||
                    (i > 9 && x(i) > 70 && (Number(month.slice(0, 4)) - Number(months[0]?.slice(0, 4))) % every === 0)) && (
                    <text
                      y={31}
                      fontSize={12}
                      fill="var(--ink-soft)"
                      textAnchor={i === 0 ? "start" : "middle"}
                      x={i === 0 ? -8 : 0}
                    >
                      {i === 0 ? "today" : month.slice(0, 4)}
                    </text>
                  )}
                </g>
              ) : null,
            )}
            <g
              ref={grip}
              role="slider"
              tabIndex={0}
              aria-label="As-of day"
              aria-valuemin={0}
              aria-valuemax={months.length - 1}
              aria-valuenow={at}
              aria-valuetext={day(on)}
              transform={`translate(${x(at)} 12)`}
              className="group cursor-ew-resize outline-none"
              onKeyDown={onKeyDown}
              onPointerDown={(event) => {
                event.stopPropagation();
                grip.current?.setPointerCapture(event.pointerId);
                grip.current?.focus();
              }}
              onPointerMove={(event) => grip.current?.hasPointerCapture(event.pointerId) && toPointer(event)}
            >
              <rect x={-12} y={-12} width={24} height={28} fill="transparent" />
              <path d="M0 -9L7 0L0 9L-7 0Z" fill="var(--accent)" stroke="var(--paper)" strokeWidth={1.5} />
              <circle
                r={13}
                fill="none"
                stroke="var(--accent)"
                strokeWidth={2}
                className="opacity-0 group-focus-visible:opacity-100"
              />
            </g>
          </svg>
        )}
      </div>
      <output aria-label="As-of day" className="w-52 text-right font-serif text-lg leading-tight whitespace-nowrap">
        <span className={projected ? "figure-projected" : ""}>{day(on)}</span>
        <span className="block font-sans text-xs text-ink-soft">{projected ? "projected" : "today, as counted"}</span>
      </output>
    </div>
  );
}
