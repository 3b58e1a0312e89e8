/** A choice of a few words in a row, for the corner of a pane. */

interface Props<T extends string> {
  /** What is chosen, for those who listen; `lead` stands before the words, where there is room. */
  label: string;
  lead: string;
  title: string;
  value: T;
  options: readonly (readonly [T, string])[];
  choose(value: T): void;
  className?: string;
}

export function Segments<T extends string>({ label, lead, title, value, options, choose, className = "" }: Props<T>) {
  return (
    <div
      role="radiogroup"
      aria-label={label}
      title={title}
      className={`flex overflow-hidden rounded border border-rule bg-raised text-[12px] ${className}`}
    >
      {lead ? <span className="py-0.5 pl-2 text-faint @max-[560px]:hidden">{lead}</span> : null}
      {options.map(([key, words]) => (
        <button
          key={key}
          type="button"
          role="radio"
          aria-checked={value === key}
          className={`px-2 py-0.5 whitespace-nowrap ${value === key ? "bg-blush font-medium text-brick" : "text-faint hover:text-ink"}`}
          onClick={() => {
            choose(key);
          }}
        >
          {words}
        </button>
      ))}
    </div>
  );
}
