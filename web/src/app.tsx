import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useRef, useState } from "react";
import { Link, NavLink, Route, Routes, useLocation, useNavigationType } from "react-router";
import { readCopies, readEstate, readStores } from "./api/client";
import { keys } from "./api/keys";
import { EstateContext } from "./estate-context";
import { ClockLink } from "./places/clock/clock-link";
import { EstatePlace } from "./places/estate/estate-place";
import { AsOfRail } from "./rail/as-of-rail";
import { TierPatterns } from "./strip/tiers";
import { ErrorNote } from "./ui/error-note";
import { Failsafe } from "./ui/failsafe";
import { theme, toggleTheme } from "./ui/theme";
import { Unreachable } from "./ui/unreachable";
import { toggleZone, useZone } from "./ui/zone";

const CommandLine = lazy(() => import("./command-line").then((m) => ({ default: m.CommandLine })));
const Toaster = lazy(() => import("./ui/toaster").then((m) => ({ default: m.Toaster })));
const EmptyEstate = lazy(() => import("./places/estate/empty-estate").then((m) => ({ default: m.EmptyEstate })));
const ReplicationPlace = lazy(() =>
  import("./places/replication/replication-place").then((m) => ({ default: m.ReplicationPlace })),
);
const BucketPage = lazy(() => import("./places/bucket/bucket-page").then((m) => ({ default: m.BucketPage })));
const ChangeMany = lazy(() => import("./places/estate/change-many").then((m) => ({ default: m.ChangeMany })));
const ForecastPlace = lazy(() => import("./places/forecast/forecast-place").then((m) => ({ default: m.ForecastPlace })));
const NightPage = lazy(() => import("./places/clock/night-page").then((m) => ({ default: m.NightPage })));
const KeepingPlace = lazy(() => import("./places/keeping/keeping-place").then((m) => ({ default: m.KeepingPlace })));
const AdvicePlace = lazy(() => import("./places/advice/advice-place").then((m) => ({ default: m.AdvicePlace })));
const ClockPlace = lazy(() => import("./places/clock/clock-place").then((m) => ({ default: m.ClockPlace })));
const ArrayPage = lazy(() => import("./places/arrays/array-page").then((m) => ({ default: m.ArrayPage })));
const ArraysPlace = lazy(() => import("./places/arrays/arrays-place").then((m) => ({ default: m.ArraysPlace })));
const FullRestorePlace = lazy(() =>
  import("./places/forecast/full-restore-place").then((m) => ({ default: m.FullRestorePlace })),
);
const LandscapePlace = lazy(() => import("./places/forecast/landscape-place").then((m) => ({ default: m.LandscapePlace })));
const ScenariosPlace = lazy(() => import("./places/scenarios/scenarios-place").then((m) => ({ default: m.ScenariosPlace })));
const HowSurePlace = lazy(() => import("./places/how-sure/how-sure-place").then((m) => ({ default: m.HowSurePlace })));
const BillsPlace = lazy(() => import("./places/bills/bills-place").then((m) => ({ default: m.BillsPlace })));
const BudgetsPlace = lazy(() => import("./places/budgets/budgets-place").then((m) => ({ default: m.BudgetsPlace })));
const OnPaperPlace = lazy(() => import("./places/forecast/on-paper-place").then((m) => ({ default: m.OnPaperPlace })));
const WhyPlace = lazy(() => import("./places/why/why-place").then((m) => ({ default: m.WhyPlace })));
const OffersPlace = lazy(() => import("./places/prices/offers-place").then((m) => ({ default: m.OffersPlace })));
const PricesPlace = lazy(() => import("./places/prices/prices-place").then((m) => ({ default: m.PricesPlace })));
const CheapestPlace = lazy(() => import("./places/advice/cheapest-place").then((m) => ({ default: m.CheapestPlace })));
const BreakEvenPlace = lazy(() => import("./places/advice/break-even-place").then((m) => ({ default: m.BreakEvenPlace })));
const SchemesPlace = lazy(() => import("./places/redundancy/schemes-place").then((m) => ({ default: m.SchemesPlace })));
const RuleForm = lazy(() => import("./places/replication/rule-form").then((m) => ({ default: m.RuleForm })));
const RegionPage = lazy(() => import("./places/replication/region-page").then((m) => ({ default: m.RegionPage })));
const RecordPage = lazy(() => import("./places/replication/record-page").then((m) => ({ default: m.RecordPage })));
const MoveChoice = lazy(() => import("./places/replication/move-page").then((m) => ({ default: m.MoveChoice })));
const MovePage = lazy(() => import("./places/replication/move-page").then((m) => ({ default: m.MovePage })));
const BackupsPlace = lazy(() => import("./places/backups/backups-place").then((m) => ({ default: m.BackupsPlace })));
const NewTarget = lazy(() => import("./places/backups/new-target").then((m) => ({ default: m.NewTarget })));
const CredentialsPage = lazy(() => import("./places/backups/credentials-page").then((m) => ({ default: m.CredentialsPage })));
const SizingPage = lazy(() => import("./places/backups/sizing-page").then((m) => ({ default: m.SizingPage })));
const PlansPlace = lazy(() => import("./places/backups/plans-place").then((m) => ({ default: m.PlansPlace })));
const PlanPage = lazy(() => import("./places/backups/plan-page").then((m) => ({ default: m.PlanPage })));
const CalendarPage = lazy(() => import("./places/backups/calendar-page").then((m) => ({ default: m.CalendarPage })));
const FindMailPage = lazy(() => import("./places/backups/find-mail-page").then((m) => ({ default: m.FindMailPage })));
const FindPage = lazy(() => import("./places/backups/find-page").then((m) => ({ default: m.FindPage })));
const SheetPage = lazy(() => import("./places/backups/sheet-page").then((m) => ({ default: m.SheetPage })));
const EvidencePage = lazy(() => import("./places/backups/evidence-page").then((m) => ({ default: m.EvidencePage })));
const TargetPage = lazy(() => import("./places/backups/target-page").then((m) => ({ default: m.TargetPage })));
const StoresPlace = lazy(() => import("./places/stores/stores-place").then((m) => ({ default: m.StoresPlace })));
const AboutPlace = lazy(() => import("./places/about/about-place").then((m) => ({ default: m.AboutPlace })));
const LogPlace = lazy(() => import("./places/log/log-place").then((m) => ({ default: m.LogPlace })));
const ReferencePlace = lazy(() => import("./places/reference/reference-place").then((m) => ({ default: m.ReferencePlace })));

const places = [
  { to: "/", label: "Estate" },
  { to: "/replication", label: "Replication" },
  { to: "/backups", label: "Backups" },
  { to: "/prices", label: "Prices" },
  { to: "/forecast", label: "Forecast" },
  { to: "/log", label: "Log" },
];

/** The as-of day stands only where the page honours it. */
const asOfHere = (pathname: string) =>
  onEstate(pathname) || pathname === "/plans" || pathname === "/calendar" || pathname === "/evidence";

const onEstate = (pathname: string) => pathname === "/" || pathname === "/new" || pathname.startsWith("/buckets/");

/** Pages of a place that stand beside its own. */
const beside: Record<string, string[]> = {
  "/prices": ["/bills", "/offers"],
  "/forecast": ["/full-restore", "/landscape", "/what-if", "/how-sure", "/why", "/budgets", "/on-paper"],
  "/backups": ["/plans", "/calendar", "/evidence", "/find", "/new-target", "/sizing", "/credentials"],
};

/** Light, dark, or as the system has it; the provider's time or one's own: the buttons say which holds. */
function Choices({ zone }: { zone: string }) {
  const [now, setNow] = useState(theme);
  const look = "block text-xs text-ink-soft underline underline-offset-4";
  return (
    <span className="flex flex-col gap-0.5">
      <button
        type="button"
        onClick={() => {
          toggleTheme();
          setNow(theme());
        }}
        className={look}
        title="Change between the system's, light and dark"
      >
        Theme: {now}
      </button>
      <button type="button" onClick={toggleZone} className={look} title="Tell times in the provider's zone, UTC, or in yours">
        Times: {zone}
      </button>
    </span>
  );
}

/** A new page begins at its top, and the keyboard in it, unless something there took the focus by itself. */
function useArrival(pathname: string) {
  const how = useNavigationType();
  const last = useRef(pathname);
  useEffect(() => {
    if (last.current === pathname) return;
    last.current = pathname;
    const main = document.getElementById("main");
    if (!main?.contains(document.activeElement)) main?.focus({ preventScroll: true });
    if (how !== "POP" && pathname !== "/") window.scrollTo(0, 0);
  }, [pathname, how]);
}

export function App() {
  const estate = useQuery({ queryKey: keys.estate, queryFn: readEstate });
  const stores = useQuery({ queryKey: keys.stores, queryFn: readStores });
  const apart = stores.data !== undefined && stores.data.standing !== "together";
  const zone = useZone();
  const { search, pathname } = useLocation();
  useArrival(pathname);
  // Asked for together with the estate, not after it.
  useQuery({ queryKey: keys.replication, queryFn: readCopies, enabled: pathname.startsWith("/replication"), retry: false });
  const on = new URLSearchParams(search).get("on");
  const keep = on ? `?on=${on}` : "";

  if (estate.isPending) return null;
  return (
    <div data-projected={on !== null && on > (estate.data?.value.today ?? "")} className="min-h-screen">
      <EstateContext value={estate.data?.value ?? null}>
        <a
          href="#main"
          className="sr-only focus:not-sr-only focus:fixed focus:top-2 focus:left-2 focus:z-40 focus:bg-paper focus:px-3 focus:py-1"
        >
          To the page
        </a>
        <header className="sticky top-0 z-20 flex items-center gap-6 border-b border-hairline bg-paper px-6 py-2">
          <NavLink to={`/${keep}`} className="font-serif text-2xl font-semibold tracking-tight no-underline">
            Ripen
          </NavLink>
          <nav aria-label="Places" className="flex gap-4">
            {places.map((place) => {
              const here =
                place.to === "/"
                  ? onEstate(pathname) || pathname === "/change" || pathname === "/keeping" || pathname.startsWith("/arrays")
                  : [place.to, ...(beside[place.to] ?? [])].some((p) => pathname === p || pathname.startsWith(`${p}/`));
              return (
                <NavLink
                  key={place.to}
                  to={place.to + keep}
                  aria-current={here ? "page" : undefined}
                  className={`border-b-2 py-1 no-underline ${here ? "border-accent" : "border-transparent text-ink-soft hover:border-hairline-strong"}`}
                >
                  {place.label}
                </NavLink>
              );
            })}
          </nav>
          {estate.data && asOfHere(pathname) ? <AsOfRail months={estate.data.value.months} /> : <span className="h-9 flex-1" />}
          {estate.data && <ClockLink />}
          <Choices zone={zone} />
        </header>
        <main id="main" tabIndex={-1} className="min-h-[calc(100vh-3.5rem)] outline-none">
          <Unreachable />
          {apart && pathname !== "/stores" && (
            <p role="alert" className="border-b-2 border-bad px-6 py-2">
              {stores.data?.words} Nothing can be changed until <Link to="/stores">you decide what is to hold</Link>.
            </p>
          )}
          {estate.error && !apart && <ErrorNote error={estate.error} />}
          {estate.data && <TierPatterns />}
          <Failsafe page={pathname} what="This page">
            <Suspense>
              <Routes>
                <Route path="/http" element={<ReferencePlace />} />
                <Route path="/stores" element={<StoresPlace />} />
                {estate.data ? (
                  <>
                    <Route path="/forecast" element={<ForecastPlace />} />
                    <Route path="/replication" element={<ReplicationPlace />} />
                    <Route path="/replication/rules/:rule" element={<ReplicationPlace />} />
                    <Route path="/replication/new" element={<RuleForm />} />
                    <Route path="/replication/change/:rule" element={<RuleForm />} />
                    <Route path="/replication/regions/:region" element={<RegionPage />} />
                    <Route path="/replication/records/:record" element={<RecordPage />} />
                    <Route path="/replication/move" element={<MoveChoice />} />
                    <Route path="/replication/moves/:from/:to" element={<MovePage />} />
                    <Route path="/backups" element={<BackupsPlace />} />
                    <Route path="/new-target" element={<NewTarget />} />
                    <Route path="/sizing" element={<SizingPage />} />
                    <Route path="/credentials" element={<CredentialsPage />} />
                    <Route path="/plans" element={<PlansPlace />} />
                    <Route path="/plans/:plan" element={<PlanPage />} />
                    <Route path="/evidence" element={<EvidencePage />} />
                    <Route path="/calendar" element={<CalendarPage />} />
                    <Route path="/find" element={<FindPage />} />
                    <Route path="/find-mail" element={<FindMailPage />} />
                    <Route path="/backups/:target/recovery-sheet" element={<SheetPage />} />
                    <Route path="/backups/:target" element={<TargetPage />} />
                    <Route path="/log" element={<LogPlace />} />
                    <Route path="/about" element={<AboutPlace />} />
                    <Route path="/clock" element={<ClockPlace />} />
                    <Route path="/schemes" element={<SchemesPlace />} />
                    <Route path="/tonight" element={<NightPage />} />
                    <Route path="/keeping" element={<KeepingPlace />} />
                    <Route path="/full-restore" element={<FullRestorePlace />} />
                    <Route path="/landscape" element={<LandscapePlace />} />
                    <Route path="/prices" element={<PricesPlace />} />
                    <Route path="/offers" element={<OffersPlace />} />
                    <Route path="/why" element={<WhyPlace />} />
                    <Route path="/on-paper" element={<OnPaperPlace />} />
                    <Route path="/bills/:id?" element={<BillsPlace />} />
                    <Route path="/budgets/:id?" element={<BudgetsPlace />} />
                    <Route path="/how-sure" element={<HowSurePlace />} />
                    <Route path="/what-if/:id?" element={<ScenariosPlace />} />
                    <Route path="/cheapest" element={<CheapestPlace />} />
                    <Route path="/arrays" element={<ArraysPlace />} />
                    <Route path="/arrays/:array" element={<ArrayPage />} />
                    <Route path="/break-even" element={<BreakEvenPlace />} />
                    <Route path="/advice" element={<AdvicePlace />} />
                    <Route path="/new" element={<EstatePlace making />} />
                    <Route path="/buckets/:name" element={<BucketPage />} />
                    <Route path="/change" element={<ChangeMany />} />
                    <Route path="*" element={<EstatePlace />} />
                  </>
                ) : (
                  <Route path="*" element={estate.error ? null : <EmptyEstate />} />
                )}
              </Routes>
            </Suspense>
          </Failsafe>
        </main>
        <Suspense>
          {estate.data && <CommandLine />}
          <Toaster />
        </Suspense>
      </EstateContext>
    </div>
  );
}
