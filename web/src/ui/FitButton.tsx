/** What fills a pane again; the key does it for both panes. */
export function FitButton({ what, fit, className = "" }: { what: string; fit(): void; className?: string }) {
  return (
    <button
      type="button"
      aria-label={`Fit the ${what}`}
      title={`The ${what} fills its pane (F)`}
      className={`rounded border border-rule bg-raised px-2 py-0.5 text-[12px] hover:border-faint ${className}`}
      onClick={fit}
    >
      Fit <kbd>F</kbd>
    </button>
  );
}
