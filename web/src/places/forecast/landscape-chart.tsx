import { type KeyboardEvent, type PointerEvent, useMemo, useState } from "react";
import type { LandscapeReading } from "../../api/client";
import { tierOf, useEstate } from "../../estate-context";
import { day } from "../../format";
import { ageScale, ticks } from "../../strip/axis";
import { TierName, tierFill } from "../../strip/tiers";
import { SavePicture } from "../../ui/save-picture";
import { useWidth } from "../../ui/use-width";

const height = 430;
const margin = { top: 10, right: 12, bottom: 26, left: 76 };
const tall = height - margin.top - margin.bottom;

type Cell = { column: number; bin: number };

/** Time to the right, age upwards; the arrow keys read it cell by cell. */
export function LandscapeChart({ reading }: { reading: LandscapeReading }) {
  const { prices, bytes, tierName } = useEstate();
  const [box, width] = useWidth<HTMLDivElement>();
  const { landscape, axis } = reading;
  const { days, tiers } = landscape;
  const [at, setAt] = useState<Cell | null>(null);
  const scale = ageScale(axis, tall);
  const [columns, bins] = [days.length, axis.binStarts.length];
  const cellWidth = Math.max(0, width - margin.left - margin.right) / columns;
  const x = (column: number) => margin.left + column * cellWidth;
  const y = (age: number) => height - margin.bottom - scale.at(age);
  const endOf = (bin: number) => axis.binStarts[bin + 1] ?? axis.oldest;
  const cells = useMemo(() => cellsOf(reading), [reading]);
  const read: Cell = at ?? { column: 0, bin: 0 };
  const { column, bin } = { column: Math.min(read.column, columns - 1), bin: Math.min(read.bin, bins - 1) };
  const ages = `${axis.binStarts[bin]} to ${endOf(bin)} days old`;
  const there = tiers.filter((t) => (t.bytes[column]?.[bin] ?? 0) > 0);
  const words =
    there.length === 0 ? "nothing" : there.map((t) => `${tierName(t.tier)} ${bytes(t.bytes[column]?.[bin] ?? 0)}`).join(", ");
  const onKeyDown = (event: KeyboardEvent) => {
    const step: Record<string, [number, number]> = {
      ArrowLeft: [-1, 0],
      ArrowRight: [1, 0],
      ArrowUp: [0, 1],
      ArrowDown: [0, -1],
      PageUp: [0, 8],
      PageDown: [0, -8],
      Home: [-columns, 0],
      End: [columns, 0],
    };
    const by = step[event.key];
    if (!by) return;
    event.preventDefault();
    setAt({
      column: Math.min(columns - 1, Math.max(0, column + by[0])),
      bin: Math.min(bins - 1, Math.max(0, bin + by[1])),
    });
  };
  const onPointerMove = (event: PointerEvent) => {
    const place = event.currentTarget.getBoundingClientRect();
    const age = scale.age(height - margin.bottom - (event.clientY - place.top));
    const next = axis.binStarts.findIndex((s) => s > age);
    setAt({
      column: Math.min(columns - 1, Math.max(0, Math.floor((event.clientX - place.left - margin.left) / cellWidth))),
      bin: next < 0 ? bins - 1 : Math.max(0, next - 1),
    });
  };
  const yearly = days.flatMap((d, i) => (i > 0 && d.slice(0, 4) !== days[i - 1]?.slice(0, 4) ? [i] : []));
  const everyYear = Math.max(1, Math.ceil(yearly.length / 12));
  return (
    <div ref={box} className="relative mt-4">
      <div className="flex flex-wrap items-center gap-5 pb-1 text-sm">
        {tiers.map((t) => (
          <TierName key={t.tier} id={t.tier} />
        ))}
        <span className="ml-auto">{width > 0 && <SavePicture of={box} name="how-it-ripens" />}</span>
      </div>
      {width > 0 && (
        <div
          role="slider"
          tabIndex={0}
          aria-label="Bytes by day and age, read with the arrow keys: to the right by day, upwards by age"
          aria-valuemin={0}
          aria-valuemax={columns * bins - 1}
          aria-valuenow={column * bins + bin}
          aria-valuetext={`${day(days[column] ?? "")}, ${ages}: ${words}`}
          onKeyDown={onKeyDown}
          onPointerMove={onPointerMove}
          onPointerLeave={() => setAt(null)}
        >
          <svg width={width} height={height} className="block" aria-hidden="true">
            {ticks.map(({ age, label }) => (
              <g key={age}>
                <line x1={margin.left} x2={width - margin.right} y1={y(age)} y2={y(age)} stroke="var(--hairline)" />
                <text x={margin.left - 8} y={y(age) + 4} fontSize={12} fill="var(--ink-soft)" textAnchor="end">
                  {label}
                </text>
              </g>
            ))}
            {cells.map((cell) => (
              <rect
                key={`${cell.column} ${cell.bin}`}
                x={x(cell.column)}
                width={cellWidth + 0.3}
                y={y(endOf(cell.bin))}
                height={Math.max(1, y(axis.binStarts[cell.bin] ?? 0) - y(endOf(cell.bin)) + 0.3)}
                fill={tierFill(tierOf(prices, cell.tier).place)}
                opacity={cell.fullness}
              />
            ))}
            {yearly
              .filter((at, i) => i % everyYear === 0 && x(at) < width - 44)
              .map((i) => (
                <g key={i}>
                  <line x1={x(i)} x2={x(i)} y1={margin.top} y2={height - margin.bottom + 5} stroke="var(--hairline-strong)" />
                  <text x={x(i) + 4} y={height - 8} fontSize={12} fill="var(--ink-soft)">
                    {days[i]?.slice(0, 4)}
                  </text>
                </g>
              ))}
            {at && (
              <rect
                x={x(column)}
                width={cellWidth}
                y={y(endOf(bin))}
                height={Math.max(2, y(axis.binStarts[bin] ?? 0) - y(endOf(bin)))}
                fill="none"
                stroke="var(--ink)"
                strokeWidth={1.6}
              />
            )}
          </svg>
        </div>
      )}
      <output className="block min-h-8 py-1" aria-label="Reading">
        {at ? (
          <>
            <span className="font-serif">{day(days[column] ?? "")}</span>, {ages}:{" "}
            <span className="figure-projected">{words}</span>
          </>
        ) : (
          <span className="no-print text-sm text-ink-soft">Point at it, or read it with the arrow keys.</span>
        )}
      </output>
    </div>
  );
}

/** Which tier holds most of each age on each day, and how full the cell is: bytes for a day of age against the fullest, on a bent scale. */
function cellsOf({ landscape, axis }: LandscapeReading) {
  const cells: { column: number; bin: number; tier: string; perDay: number }[] = [];
  for (const column of landscape.days.keys()) {
    for (const [bin, start] of axis.binStarts.entries()) {
      let [all, most, tier] = [0, 0, ""];
      for (const t of landscape.tiers) {
        const own = t.bytes[column]?.[bin] ?? 0;
        all += own;
        if (own > most) [most, tier] = [own, t.tier];
      }
      if (all > 0) cells.push({ column, bin, tier, perDay: all / ((axis.binStarts[bin + 1] ?? axis.oldest) - start) });
    }
  }
  const most = cells.reduce((so, c) => Math.max(so, c.perDay), 1e-9);
  return cells.map((c) => ({ ...c, fullness: 0.12 + 0.88 * (c.perDay / most) ** 0.3 }));
}
