const language = "en-GB";

/** Makes each formatter once: making one costs far more than using it. */
function once<Options extends object, Formatter>(make: (options: Options) => Formatter) {
  const made = new Map<string, Formatter>();
  return (options: Options): Formatter => {
    const key = JSON.stringify(options);
    let formatter = made.get(key);
    if (formatter === undefined) {
      formatter = make(options);
      made.set(key, formatter);
    }
    return formatter;
  };
}

const numbers = once((options: Intl.NumberFormatOptions) => new Intl.NumberFormat(language, options));
const dates = once((options: Intl.DateTimeFormatOptions) => new Intl.DateTimeFormat(language, { ...options, timeZone: "UTC" }));

/** An amount in the price book's currency: no cents from a thousand on; what rounds to no cent is said in words. */
export function money(amount: number, currency: string, cents = centsOf(amount)): string {
  const size = Math.abs(amount);
  if (size > 0 && size < 0.005) return amount < 0 ? "less than a cent less" : "under a cent";
  return numbers({ style: "currency", currency, minimumFractionDigits: cents, maximumFractionDigits: cents }).format(amount);
}

const centsOf = (amount: number) => (Math.abs(amount) > 0 && Math.abs(amount) < 1000 ? 2 : 0);

/** How the amounts of a column are written, so that all of them have the same digits: with cents where one of them needs them. */
export function moneyColumn(amounts: number[], currency: string): (amount: number) => string {
  const cents = Math.max(0, ...amounts.map(centsOf));
  return (amount) => money(amount, currency, cents);
}

/** The price of one unit, which may be far below a cent or between two: four significant digits there. */
export function price(amount: number, currency: string): string {
  const isWhole = Math.abs(amount * 100 - Math.round(amount * 100)) < 1e-9;
  return isWhole || amount >= 100
    ? money(amount, currency)
    : numbers({ style: "currency", currency, maximumSignificantDigits: 4 }).format(amount);
}

/** A difference in money, always with its sign. */
export function moneyChange(amount: number, currency: string): string {
  return amount >= 0.005 ? `+${money(amount, currency)}` : money(amount, currency);
}

const decimal = ["B", "kB", "MB", "GB", "TB", "PB", "EB"];
const binary = ["B", "KiB", "MiB", "GiB", "TiB", "PiB", "EiB"];

/** A size in the steps of the price book's unit: GB goes in thousands, GiB in 1,024s. */
export function bytes(size: number, unit: "GB" | "GiB"): string {
  const [base, names] = unit === "GB" ? [1000, decimal] : [1024, binary];
  const power = size < 1 ? 0 : Math.min(names.length - 1, Math.floor(Math.log(size) / Math.log(base) + 1e-9));
  const amount = size / base ** power;
  return `${count(amount, amount >= 100 || power === 0 ? 0 : amount >= 10 ? 1 : 2)} ${names[power]}`;
}

/** A count; expectations keep no more digits than say something. */
export function count(n: number, digits = n !== 0 && Math.abs(n) < 10 ? 2 : 0): string {
  return numbers({ maximumFractionDigits: digits }).format(n);
}

/** yyyy-MM-dd as a date in words. */
export function day(date: string): string {
  return dates({ day: "numeric", month: "long", year: "numeric" }).format(new Date(date));
}

const local = once((options: Intl.DateTimeFormatOptions) => new Intl.DateTimeFormat(language, options));

/** In which zone instants are told: the provider's, which is UTC, or that of the person at the screen. */
export type Zone = "UTC" | "local";
let zone: Zone = "UTC";

export function tellIn(next: Zone) {
  zone = next;
}

/** An instant to the minute, for columns whose zone is named elsewhere. */
export function instant(at: string): string {
  return (zone === "UTC" ? dates : local)({ dateStyle: "medium", timeStyle: "short" }).format(new Date(at));
}

/** The same with its zone. */
export function moment(at: string): string {
  if (zone === "UTC") return `${instant(at)} UTC`;
  const name = local({ timeZoneName: "short" })
    .formatToParts(new Date(at))
    .find((part) => part.type === "timeZoneName");
  return `${instant(at)} ${name?.value ?? "local time"}`;
}

/** yyyy-MM as a month in words. */
export function month(yearMonth: string, style: "long" | "short" = "long"): string {
  return dates({ month: style, year: "numeric" }).format(new Date(`${yearMonth}-01`));
}

/** An age in days, with the years where there are whole ones. */
export function age(days: number): string {
  const years = days / 365.25;
  const near = Math.round(years);
  const words = days === 1 ? "1 day" : `${count(days, 0)} days`;
  return near >= 1 && Math.abs(years - near) < 0.01 ? `${words} (${near} ${near === 1 ? "year" : "years"})` : words;
}
