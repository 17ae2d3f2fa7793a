import type { ReactNode } from "react";
import { tierOf, useEstate } from "../estate-context";

const stops = 4;

/** The colour of a tier: its place on the ramp, between two stops where there are more tiers than stops. */
export function tierColour(place: number, tiers: number): string {
  const x = tiers <= 1 ? 0 : tiers <= stops ? place : (place / (tiers - 1)) * (stops - 1);
  const low = Math.floor(x);
  if (x === low) return `var(--ripe-${low})`;
  return `color-mix(in oklab, var(--ripe-${low}), var(--ripe-${low + 1}) ${Math.round((x - low) * 100)}%)`;
}

const textures: (() => ReactNode)[] = [
  () => null,
  () => <path d="M-2 2L2 -2M0 8L8 0M6 10L10 6" stroke="var(--texture)" strokeWidth="1.4" />,
  () => (
    <>
      <circle cx="2" cy="2" r="1.2" fill="var(--texture)" />
      <circle cx="6" cy="6" r="1.2" fill="var(--texture)" />
    </>
  ),
  () => <path d="M0 4H8M4 0V8" stroke="var(--texture)" strokeWidth="1.2" />,
];

const patternId = (place: number) => `tier-${place}`;

/** The fill of a tier, colour and texture together; needs TierPatterns somewhere on the page. */
export const tierFill = (place: number) => `url(#${patternId(place)})`;

/** The fills of all tiers, once for the page. */
export function TierPatterns() {
  const { prices } = useEstate();
  const { tiers } = prices;
  return (
    <svg width="0" height="0" className="absolute" aria-hidden="true">
      <defs>
        {tiers.map((tier, place) => (
          <pattern key={tier.id} id={patternId(place)} width="8" height="8" patternUnits="userSpaceOnUse">
            <rect width="8" height="8" fill={tierColour(place, tiers.length)} />
            {textures[place % textures.length]?.()}
          </pattern>
        ))}
        <pattern id="unpaid-stay" width="6" height="6" patternUnits="userSpaceOnUse">
          <path d="M-1 1L1 -1M0 6L6 0M5 7L7 5" stroke="var(--bad)" strokeWidth="1.3" />
        </pattern>
      </defs>
    </svg>
  );
}

/** A small swatch with the tier's name beside it. */
export function TierName({ id }: { id: string }) {
  const { prices } = useEstate();
  const { place, name } = tierOf(prices, id);
  return (
    <span className="inline-flex items-center gap-1.5 whitespace-nowrap">
      <svg width="12" height="12" aria-hidden="true">
        <rect width="12" height="12" rx="2" fill={tierFill(place)} />
      </svg>
      {name}
    </span>
  );
}
