/** A dimension on the screen: a line with heads at both ends, and its text over the middle. */

export function DimensionLine(at: { x0: number; y0: number; x1: number; y1: number; text: string }) {
  const { x0, y0, x1, y1, text } = at;
  const long = Math.hypot(x1 - x0, y1 - y0) || 1,
    [ux, uy] = [((x1 - x0) / long) * 7, ((y1 - y0) / long) * 7];
  const head = (x: number, y: number, way: number) =>
    `M${x} ${y}l${way * ux - uy * 0.4} ${way * uy + ux * 0.4}l${uy * 0.8} ${-ux * 0.8}z`;
  return (
    <g>
      <path d={`M${x0} ${y0}L${x1} ${y1}`} stroke="var(--brick)" strokeWidth="1.4" fill="none" />
      <path d={head(x0, y0, 1) + head(x1, y1, -1)} fill="var(--brick)" />
      <text
        x={(x0 + x1) / 2}
        y={(y0 + y1) / 2 - 6}
        textAnchor="middle"
        className="num text-[12.5px]"
        fill="var(--ink)"
        stroke="var(--paper)"
        strokeWidth="4"
        paintOrder="stroke"
      >
        {text}
      </text>
    </g>
  );
}
