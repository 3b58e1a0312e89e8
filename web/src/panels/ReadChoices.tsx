/** How a file is read, where its format leaves a choice: each is a value of the step that reads it. */

import type { ReactNode } from "react";

import type { Step } from "../api/client";
import type { SourceFacts } from "../scene/sheetData";
import { useTable } from "../state/table";
import { changeRecorded, changeStep } from "../state/work";
import { ChoiceField } from "../ui/ChoiceField";
import { LengthField } from "../ui/LengthField";

const PICTURES = ["PNG", "JPEG", "TIFF", "BMP", "picture"];
const STROKES = [
  { value: "centre", label: "as centre lines" },
  { value: "outline", label: "as inked, with their width" },
];
const ENDS = [
  { value: "auto", label: "as it seems" },
  { value: "sharp", label: "with a sharp edge" },
  { value: "blunt", label: "with a blunt edge" },
  { value: "open", label: "not at all" },
];
const CURVES = [
  { value: "spline", label: "a smooth spline through them" },
  { value: "polyline", label: "straight from point to point" },
  { value: "fitted", label: "a smooth spline near them" },
];

export function ReadChoices({ source, read }: { source: SourceFacts; read: Step }) {
  const value = (field: string, usual: unknown) => read.params?.[field] ?? usual;
  const put = (field: string) => (v: unknown) => changeRecorded(read.number, field, v);
  const choice = (field: string, usual: string, options: { value: string; label: string }[]) => {
    const now = String(value(field, usual));
    return (
      <ChoiceField
        boxed={false}
        label={field}
        text={options.find((o) => o.value === now)?.label ?? now}
        value={now}
        options={options}
        onValue={(v) => {
          void put(field)(v);
        }}
      />
    );
  };
  const figure = (field: string, usual: number | string) => (
    <LengthField
      bare
      empty="found"
      value={String(value(field, usual))}
      label={field.replace(/_/g, " ")}
      onValue={(text) => put(field)(text === "" ? null : Number(text.replace(",", ".")))}
    />
  );
  const rows: ReactNode[] = [];
  if (source.format === "PDF" || source.format === "SVG")
    rows.push(
      <Row key="s" label="Strokes without a fill">
        {choice("strokes", "centre", STROKES)}
      </Row>,
    );
  if (source.pages > 1)
    rows.push(
      <Row key="p" label={`Page, of ${source.pages}`}>
        {figure("page", 1)}
      </Row>,
    );
  if (source.format === "PDF")
    rows.push(
      <Row key="d" label="Drawn at 1 :">
        {figure("drawing_scale", 1)}
      </Row>,
    );
  if (source.sets.length) {
    rows.push(
      <Row key="e" label="The ends are closed">
        {choice("ends", "auto", ENDS)}
      </Row>,
      <Row key="c" label="Through the points goes">
        {choice("curve", "spline", CURVES)}
      </Row>,
    );
    if (value("curve", "spline") === "fitted")
      rows.push(
        <Row key="m" label="no more off than (mm)">
          {figure("deviation_mm", 0.02)}
        </Row>,
      );
  }
  if (PICTURES.includes(source.format))
    rows.push(<PictureRows key="x" read={read} figure={figure} put={put} value={value} />);
  return rows.length ? (
    <div className="dash-t mt-2.5 flex flex-wrap gap-x-5 gap-y-1.5 pt-2 text-[13.5px]">{rows}</div>
  ) : null;
}

function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <span className="flex items-center gap-2">
      <span className="text-faint">{label}</span>
      {children}
    </span>
  );
}

interface PictureProps {
  read: Step;
  figure(field: string, usual: number | string): ReactNode;
  put(field: string): (v: unknown) => Promise<unknown>;
  value(field: string, usual: unknown): unknown;
}

function PictureRows({ read, figure, put, value }: PictureProps) {
  const { sheetAsks, set } = useTable();
  const whole = !value("region", null) && !(value("polygon", []) as unknown[]).length;
  const colour = value("colour", null) as string | null;
  const small = "rounded border border-rule bg-paper px-2 py-0.5 text-[12.5px] hover:border-faint";
  return (
    <>
      <Row label="Material is">
        <button
          type="button"
          className={small}
          onClick={() => {
            void put("invert")(!value("invert", false));
          }}
        >
          {value("invert", false) ? "light" : "dark"}
        </button>
      </Row>
      <Row label="darker than (0 to 255)">{figure("threshold", "")}</Row>
      <Row label="contrast">{figure("contrast", 1)}</Row>
      <Row label="smallest spot (pixels)">{figure("speckle", 8)}</Row>
      <Row label="followed within (pixels)">{figure("smooth", 0.5)}</Row>
      <Row label="Colour">
        <button
          type="button"
          className={small}
          aria-pressed={sheetAsks?.what === "colour"}
          onClick={() => {
            set({ sheetAsks: { what: "colour", step: read.number } });
          }}
        >
          {colour ? (
            <>
              <span
                className="mr-1.5 inline-block h-2.5 w-2.5 border border-rule align-middle"
                style={{ background: colour }}
              />
              {colour}
            </>
          ) : (
            "press one on the picture"
          )}
        </button>
        {colour ? (
          <>
            within {figure("tolerance", 40)}
            <button
              type="button"
              className={small}
              onClick={() => {
                void put("colour")(null);
              }}
            >
              any
            </button>
          </>
        ) : null}
      </Row>
      <Row label="Part">
        <button
          type="button"
          className={small}
          aria-pressed={sheetAsks?.what === "part"}
          onClick={() => {
            set({ sheetAsks: { what: "part", step: read.number } });
          }}
        >
          {whole ? "all of it; draw round a part" : "a part; draw another"}
        </button>
        {whole ? null : (
          <button
            type="button"
            className={small}
            onClick={() => {
              void changeStep(read.number, { region: null, polygon: [] }, "the whole picture");
            }}
          >
            all of it
          </button>
        )}
      </Row>
    </>
  );
}
