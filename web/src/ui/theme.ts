/** Day or evening, kept in the browser. */

export type Theme = "day" | "evening";

export function themeNow(): Theme {
  return document.documentElement.dataset["theme"] === "evening" ? "evening" : "day";
}

export function setTheme(theme: Theme): void {
  document.documentElement.dataset["theme"] = theme;
  localStorage.setItem("theme", theme);
}

export function recallTheme(): void {
  setTheme(localStorage.getItem("theme") === "evening" ? "evening" : "day");
}
