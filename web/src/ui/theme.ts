const key = "ripen-theme";

/** Light and dark follow the system until somebody chooses. */
export function applyTheme(chosen: string | null = localStorage.getItem(key)) {
  const dark = chosen === null ? matchMedia("(prefers-color-scheme: dark)").matches : chosen === "dark";
  document.documentElement.dataset.theme = dark ? "dark" : "light";
}

export function toggleTheme() {
  const next = document.documentElement.dataset.theme === "dark" ? "light" : "dark";
  localStorage.setItem(key, next);
  applyTheme(next);
}
