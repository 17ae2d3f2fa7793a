import { useMemo } from "react";
import { Link } from "react-router";
import type { CopyRuleStatus, RegionReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { SavePicture } from "../../ui/save-picture";
import { useWidth } from "../../ui/use-width";
import { bundled as bundle, type CopyMap, mostLines, type PlacedRule, placeCopies } from "./map-geometry";
import { span } from "./words";

type MapProps = {
  regions: RegionReading[];
  rules: CopyRuleStatus[];
  open: number;
  /** Every rule by itself, however many. */
  each: boolean;
};

/** Pixels; more is scrolled. */
const tallest = 480;

const strokes = { even: "var(--good)", behind: "var(--ripe-1)", late: "var(--bad)" };

/** Regions as columns, buckets in them, rules as lines: thick for many bytes, with a mark that says how late. The list below says the same in words. */
export function ReplicationMap({ regions, rules, open, each }: MapProps) {
  const [ref, width] = useWidth<HTMLDivElement>();
  const many = !each && rules.length > mostLines;
  const map = useMemo(() => {
    const drawn = many ? bundle(regions, rules) : { regions, rules };
    return placeCopies(drawn.regions, drawn.rules, width);
  }, [regions, rules, width, many]);
  const tall = map.height > tallest;
  return (
    <div className="board" data-testid="replication-map">
      <div ref={ref}>
        <section
          aria-label="Map of copies"
          tabIndex={tall ? 0 : undefined}
          className={tall ? "overflow-y-auto" : ""}
          style={{ height: Math.min(map.height, tallest) }}
        >
          {width > 0 && <Picture map={map} width={width} open={open} bundled={many} />}
        </section>
        <p className="mt-1 text-sm text-ink-soft">
          A thicker line has copied more. <span className="text-bad">◆</span> later than allowed, or failed · ○ behind, within
          what is allowed · dotted: nothing passes.
          {many && ` ${rules.length} rules are drawn as one line for each pair of regions.`}{" "}
          {width > 0 && <SavePicture of={ref} name="replication" />}
        </p>
      </div>
    </div>
  );
}

type PictureProps = { map: CopyMap; width: number; open: number; bundled: boolean };

function Picture({ map, width, open, bundled }: PictureProps) {
  const { bytes } = useEstate();
  const column = width / map.regions.length;
  return (
    <svg role="group" aria-label="Regions, buckets and rules" width={width} height={map.height} className="block">
      {map.regions.map(({ region, x }) => (
        <g key={region.id}>
          {region.lostSince && <rect x={x - 8} y={0} width={column - 8} height={map.height} fill="var(--paper-deep)" />}
          <Link to={`/replication/regions/${region.id}`} tabIndex={-1} className="no-underline">
            <text x={x} y={22} className="font-serif text-[19px]" fill="var(--ink)">
              {shortened(region.name, column - 24)}
              {region.lostSince && <tspan fill="var(--bad)"> · lost</tspan>}
            </text>
          </Link>
          <line x1={x} x2={x + column - 24} y1={34} y2={34} stroke="var(--hairline-strong)" />
        </g>
      ))}
      {map.rules.map((placed) => (
        <RuleLine key={placed.rule.id} placed={placed} open={placed.rule.id === open} />
      ))}
      {map.regions.map(({ region, buckets, width: reach }) => (
        <g key={region.id} opacity={region.lostSince ? 0.8 : 1}>
          {buckets.map((b) => (
            <Link key={b.name} to={bundled ? `/?region=${b.name}` : `/buckets/${b.name}`} tabIndex={-1} className="no-underline">
              <Ground x={b.x} y={b.y} characters={bundled ? 15 : b.name.length} lost={region.lostSince != null} />
              <title>{`${b.name}, ${bytes(b.bytes)}`}</title>
              {fits(bundled ? 15 : b.name.length, reach) && (
                <Ground x={b.x + reach - 76} y={b.y} characters={7} lost={region.lostSince != null} />
              )}
              <text
                x={b.x}
                y={b.y + 5}
                fill="var(--ink)"
                className="text-[15px]"
                textDecoration={region.lostSince ? "line-through" : undefined}
              >
                {bundled ? "all its buckets" : b.name}
              </text>
              {fits(bundled ? 15 : b.name.length, reach) && (
                <text x={b.x + reach - 12} y={b.y + 5} textAnchor="end" fill="var(--ink-soft)" className="text-[13px]">
                  {bytes(b.bytes)}
                </text>
              )}
            </Link>
          ))}
        </g>
      ))}
      {map.rules.map((placed) => (
        <LagMark key={placed.rule.id} placed={placed} />
      ))}
    </svg>
  );
}

/** Whether a size has room beside a name of so many characters. */
const fits = (characters: number, width: number) => characters * 8.2 + 84 <= width;

/** What fits of a name in a heading of this width. */
function shortened(name: string, width: number) {
  const most = Math.floor(width / 10);
  return name.length <= most ? name : `${name.slice(0, most - 1)}…`;
}

/** Paper under a text, so that a line which passes behind it does not cross it out. */
function Ground({ x, y, characters, lost }: { x: number; y: number; characters: number; lost: boolean }) {
  return (
    <rect x={x - 4} y={y - 12} width={characters * 8.2 + 8} height={24} fill={lost ? "var(--paper-deep)" : "var(--paper)"} />
  );
}

function RuleLine({ placed, open }: { placed: PlacedRule; open: boolean }) {
  const { rule, path, width } = placed;
  const closed = rule.line !== "open";
  return (
    <Link
      to={
        rule.id < 0 ? `/replication?pair=${rule.bucket}~${rule.target}` : open ? "/replication" : `/replication/rules/${rule.id}`
      }
      tabIndex={-1}
      aria-label={`${rule.bucket} to ${rule.target}`}
    >
      <title>{`${rule.bucket} to ${rule.target}`}</title>
      <path d={path} fill="none" stroke="transparent" strokeWidth={18} />
      {open && <path d={path} fill="none" stroke="var(--ink)" strokeOpacity={0.18} strokeWidth={width + 12} />}
      <path
        d={path}
        fill="none"
        stroke={strokes[rule.standing]}
        strokeWidth={width}
        strokeDasharray={closed ? "3 9" : rule.bringsBack ? "12 5" : undefined}
      />
      <circle cx={endOf(path).x} cy={endOf(path).y} r={4.5} fill={strokes[rule.standing]} />
    </Link>
  );
}

/** Nothing for a rule that is even; a ring with the lag for one that is behind, a filled lozenge for one that is later than allowed. */
function LagMark({ placed: { rule, mark } }: { placed: PlacedRule }) {
  const late = rule.standing;
  if (late === "even" && rule.line === "open") return null;
  const failed = rule.failures.reduce((sum, f) => sum + f.objects, 0);
  const words = [rule.lagHours > 0 && span(rule.lagHours), failed > 0 && `${failed} failed`, rule.line === "cut" && "cut"]
    .filter(Boolean)
    .join(" · ");
  if (!words) return null;
  return (
    <g pointerEvents="none">
      <rect x={mark.x - 12} y={mark.y - 11} width={words.length * 7.2 + 26} height={22} fill="var(--paper)" />
      {late === "late" ? (
        <path d={`M${mark.x},${mark.y - 7} l7,7 l-7,7 l-7,-7 Z`} fill={strokes.late} />
      ) : (
        <circle cx={mark.x} cy={mark.y} r={5.5} fill="var(--paper)" stroke={strokes[late]} strokeWidth={2.5} />
      )}
      <text
        x={mark.x + 12}
        y={mark.y + 5}
        className="text-[13px] font-semibold"
        fill={late === "late" ? "var(--bad)" : "var(--ink)"}
      >
        {words}
      </text>
    </g>
  );
}

function endOf(path: string) {
  const [x, y] = (path.split(" ").at(-1) ?? "0,0").split(",").map(Number);
  return { x: x ?? 0, y: y ?? 0 };
}
