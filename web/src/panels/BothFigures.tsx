/** Figures of the part as it is shown two ways, side by side; what is the same stands back. */

import type { Report } from "../api/client";
import { areaText, show, sizesText, volumeText } from "../scene/shownUnits";

type Figures = Report["figures"];

export function BothFigures({ titles, figures: [a, b] }: { titles: [string, string]; figures: [Figures, Figures] }) {
  const rows: [string, (f: Figures) => string][] = [
    ["size", (f) => sizesText(f.bounds, 1)],
    ["volume", (f) => volumeText(f.volume_mm3, 3)],
    ["surface", (f) => areaText(f.surface_mm2)],
    ["bodies", (f) => show(f.bodies)],
  ];
  return (
    <table className="num mt-1 w-full [&_td]:pr-2">
      <thead>
        <tr className="text-left text-faint">
          <th className="font-normal" />
          <th className="font-normal">{titles[0]}</th>
          <th className="font-normal">{titles[1]}</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, told]) => (
          <tr key={name} className={told(a) === told(b) ? "text-faint" : ""}>
            <td>{name}</td>
            <td>{told(a)}</td>
            <td>{told(b)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
