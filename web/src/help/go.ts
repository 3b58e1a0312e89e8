/** Go to the help, to a job of it if one is named; the page before comes back by the browser's own way. */
export function toHelp(job = ""): void {
  window.history.pushState(null, "", job ? `/help/${job}` : "/help");
  window.dispatchEvent(new PopStateEvent("popstate"));
}
