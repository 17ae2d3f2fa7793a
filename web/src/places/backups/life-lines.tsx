import type { PointCalendar } from "../../api/client";
import { day } from "../../format";
import { linear } from "../../ui/linear";
import { useWidth } from "../../ui/use-width";

const left = 150;
const right = 12;
const head = 22;
const bandGap = 16;
const rail = 7;
const tallest = 150;

/** Textures of targets: the first is solid, the others are dashed, each in its own way. */
const textures = ["", "7 2", "2 2", "9 2 2 2", "1 3"];

export const textureOf = (targets: string[], target: string) => textures[targets.indexOf(target) % textures.length] ?? "";

type LifeLinesProps = { calendar: PointCalendar; targets: string[]; workloadName: (id: string) => string; on: string };

type Line = { taken: number; gone: number; isDone: boolean; target: string };

/** Lines in as few rows as they need, first come first. */
function stacked(lines: Line[]): { line: Line; row: number }[] {
  const free: number[] = [];
  return lines.map((line) => {
    let row = free.findIndex((end) => end <= line.taken);
    if (row < 0) row = free.length;
    free[row] = line.gone;
    return { line, row };
  });
}

/**
 * The lives of restore points, one band a workload: every point is a hairline from its birth to its end, heavier the longer it lives; its
 * texture tells the target. On the rail above a band the time is marked in which the newest point was older than was agreed. The as-of day
 * cuts them all: what it cuts is what can be restored then.
 */
export function LifeLines({ calendar, targets, workloadName, on }: LifeLinesProps) {
  const [box, width] = useWidth<HTMLDivElement>();
  const { rows, gaps, from, to, today } = calendar;
  const span = Math.max(1, daysBetween(from, to));
  const x = linear([0, span], [left, Math.max(left + 1, width - right)]);
  const at = (date: string) => Math.min(span, Math.max(0, daysBetween(from, date)));
  const workloads = [...new Set(rows.map((r) => r.workload))];
  let y = head;
  const bands = workloads.map((workload) => {
    const own = rows.filter((r) => r.workload === workload);
    const lines = own
      .flatMap((r) =>
        r.points.map((p) => ({
          taken: daysBetween(from, p.taken),
          gone: p.gone == null ? span : daysBetween(from, p.gone),
          isDone: p.isDone,
          target: r.target,
        })),
      )
      .sort((a, b) => a.taken - b.taken);
    const placed = stacked(lines);
    const rowsUsed = Math.max(1, ...placed.map((p) => p.row + 1));
    const pitch = Math.min(4, tallest / rowsUsed);
    const top = y + rail + 4;
    const band = { workload, own, placed, pitch, top, height: rowsUsed * pitch };
    y = top + band.height + bandGap;
    return band;
  });
  const height = y;
  /** Points that look alike are one path: ten years of nights are tens of thousands. */
  const groups = (band: (typeof bands)[number]) => {
    const paths = new Map<string, string>();
    for (const { line, row } of band.placed) {
      const look = JSON.stringify([line.target, line.isDone, weight(line.gone - line.taken)]);
      const start = x(Math.max(0, line.taken));
      const end = Math.max(start + 1, x(Math.min(span, line.gone)) - 0.5);
      const y = band.top + (row + 0.5) * band.pitch;
      paths.set(look, `${paths.get(look) ?? ""}M${start.toFixed(1)} ${y.toFixed(1)}H${end.toFixed(1)}`);
    }
    return paths;
  };
  const months = monthStarts(from, to);
  const every = Math.max(1, Math.ceil(months.length / 14));
  return (
    <div ref={box} style={{ minHeight: height }}>
      {width > 0 && (
        <svg width={width} height={height} role="img" aria-label={`Lives of restore points from ${day(from)} to ${day(to)}`}>
          {months.map((m, i) => (
            <g key={m}>
              <line x1={x(at(m))} x2={x(at(m))} y1={head - 6} y2={height} stroke="var(--hairline)" />
              {i % every === 0 && x(at(m)) < width - 60 && (
                <text x={x(at(m)) + 3} y={head - 9} fontSize={12} fill="var(--ink-soft)">
                  {m.slice(0, 7)}
                </text>
              )}
            </g>
          ))}
          {bands.map((band) => (
            <g key={band.workload}>
              <text x={0} y={band.top + Math.min(band.height, 14)} fontSize={14} fill="var(--ink)" fontFamily="var(--font-serif)">
                {workloadName(band.workload)}
              </text>
              <line x1={left} x2={width - right} y1={band.top - 5} y2={band.top - 5} stroke="var(--hairline-strong)" />
              {gaps
                .filter((gap) => gap.workload === band.workload && gap.to > from)
                .map((gap) => (
                  <rect
                    key={gap.from}
                    x={x(at(gap.from))}
                    width={Math.max(1, x(at(gap.to)) - x(at(gap.from)))}
                    y={band.top - 5 - rail / 2}
                    height={rail}
                    fill="var(--bad)"
                  >
                    <title>{`No point young enough from ${day(gap.from)} to ${day(gap.to)}`}</title>
                  </rect>
                ))}
              {[...groups(band)].map(([look, path]) => {
                const [target, done, heavy] = JSON.parse(look) as [string, boolean, number];
                return (
                  <path
                    key={look}
                    d={path}
                    fill="none"
                    stroke="var(--ink)"
                    strokeOpacity={done ? 0.95 : 0.45}
                    strokeWidth={Math.min(heavy, Math.max(0.6, band.pitch * 0.8))}
                    strokeDasharray={textureOf(targets, target)}
                  />
                );
              })}
              {band.own.flatMap((r) =>
                r.missed.map((m) => (
                  <text key={`${r.target} ${m.day}`} x={x(at(m.day)) - 4} y={band.top - 6} fontSize={12} fill="var(--bad)">
                    ✕<title>{`${day(m.day)}, ${r.target}: ${m.why}`}</title>
                  </text>
                )),
              )}
            </g>
          ))}
          <line x1={x(at(today))} x2={x(at(today))} y1={head - 6} y2={height} stroke="var(--ink-soft)" strokeDasharray="1 3" />
          <line x1={x(at(on))} x2={x(at(on))} y1={head - 8} y2={height} stroke="var(--accent)" strokeWidth={2} />
        </svg>
      )}
    </div>
  );
}

/** Years weigh more than months, and months more than days. */
const weight = (lives: number) => (lives > 300 ? 2.6 : lives > 60 ? 1.8 : lives > 10 ? 1.2 : 0.8);

const dayLength = 86_400_000;

const daysBetween = (from: string, to: string) => (Date.parse(to) - Date.parse(from)) / dayLength;

function monthStarts(from: string, to: string): string[] {
  const starts: string[] = [];
  const month = new Date(`${from.slice(0, 7)}-01T00:00:00Z`);
  for (;;) {
    month.setUTCMonth(month.getUTCMonth() + 1);
    const text = month.toISOString().slice(0, 10);
    if (text >= to) return starts;
    starts.push(text);
  }
}
