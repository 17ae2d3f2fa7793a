const key = "ripen-theme";

export type Theme = "system" | "light" | "dark";
const order: Theme[] = ["system", "light", "dark"];
const system = matchMedia("(prefers-color-scheme: dark)");

/** What somebody chose; the system's unless they did. */
export function theme(): Theme {
  const chosen = localStorage.getItem(key);
  return chosen === "light" || chosen === "dark" ? chosen : "system";
}

export function applyTheme() {
  const now = theme();
  document.documentElement.dataset.theme = now === "system" ? (system.matches ? "dark" : "light") : now;
}

/** Goes on to the next of system, light and dark. */
export function toggleTheme() {
  const next = order[(order.indexOf(theme()) + 1) % order.length] ?? "system";
  if (next === "system") localStorage.removeItem(key);
  else localStorage.setItem(key, next);
  applyTheme();
}

system.addEventListener("change", applyTheme);
