import type { PointReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { linear } from "../../ui/linear";
import { useWidth } from "../../ui/use-width";

const height = 150;
const jug = 64;
const gap = 3;
const thickest = 44;

/** The cut through a pool: above the line what each point holds, below it at the same scale what its run had to store. */
export function PoolCut({ points, stored }: { points: PointReading[]; stored: number }) {
  const { bytes } = useEstate();
  const [ref, width] = useWidth<HTMLDivElement>();
  const byTime = points.toReversed();
  const logical = points.reduce((sum, p) => sum + p.logicalBytes, 0);
  const above = Math.max(1, ...points.map((p) => p.logicalBytes));
  const below = Math.max(0, ...points.map((p) => p.storedBytes));
  const y = linear([-below, above], [height - 6, 10]);
  const column = Math.min(thickest, Math.max(2, (width - jug) / Math.max(1, points.length) - gap));
  const mark = 10 ** Math.floor(Math.log10(above)) * (above / 10 ** Math.floor(Math.log10(above)) >= 4 ? 2 : 1);
  const marks = Array.from({ length: Math.floor(above / mark) }, (_, i) => (i + 1) * mark);
  return (
    <div>
      <p>
        {points.length === 1 ? "One point holds" : `${count(points.length)} points hold`} {bytes(logical)}; {bytes(stored)} are
        stored
        {stored > 0 && stored < logical && (
          <>
            : {bytes(logical - stored)} saved, {count(logical / stored, 1)} to 1
          </>
        )}
        .
      </p>
      <div ref={ref}>
        {width > 0 && (
          <svg
            width={width}
            height={height}
            role="img"
            aria-label="What each point holds, and what its run stored; the table below has the figures."
          >
            {marks.map((m) => (
              <g key={m}>
                <line x1={jug - 8} x2={jug} y1={y(m)} y2={y(m)} stroke="var(--ink-soft)" />
                <text x={jug - 12} y={y(m) + 4} fontSize="12" textAnchor="end" fill="var(--ink-soft)">
                  {bytes(m)}
                </text>
              </g>
            ))}
            <line x1={jug} x2={jug} y1={10} y2={height - 6} stroke="var(--hairline-strong)" />
            {byTime.map((p, i) => {
              const x = jug + 6 + i * (column + gap);
              return (
                <g key={p.id}>
                  <rect
                    x={x + 0.5}
                    y={y(p.logicalBytes)}
                    width={column}
                    height={y(0) - y(p.logicalBytes)}
                    fill="none"
                    stroke="var(--ink-soft)"
                  />
                  <rect x={x} y={y(0)} width={column + 1} height={Math.max(1, y(-p.storedBytes) - y(0))} fill="var(--accent)" />
                </g>
              );
            })}
            <line x1={jug - 8} x2={width} y1={y(0)} y2={y(0)} stroke="var(--ink)" />
          </svg>
        )}
      </div>
    </div>
  );
}
