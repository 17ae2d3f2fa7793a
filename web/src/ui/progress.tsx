/** How much of something is done. */
export function Progress({ label, value, max }: { label: string; value: number; max: number }) {
  const percent = max > 0 ? Math.min(100, (100 * value) / max) : 100;
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.floor(percent)}
      className="h-2 w-72 border border-hairline-strong"
    >
      <div className="h-full bg-accent" style={{ width: `${percent}%` }} />
    </div>
  );
}
