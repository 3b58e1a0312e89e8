/**
 * React's own, with one difference: texts that elements show are read in the language that is spoken. What people have
 * named stays as it is where the element says translate="no", as in HTML.
 */

import type { ElementType, Key, ReactElement, ReactNode } from "react";
import * as react from "react/jsx-runtime";

import { told, toldTogether } from "./language";

type Props = Record<string, unknown>;
const READ = [
  "title",
  "aria-label",
  "aria-description",
  "aria-roledescription",
  "aria-valuetext",
  "placeholder",
  "alt",
];

export { Fragment } from "react/jsx-runtime";
export type { JSX } from "react/jsx-runtime";

export function jsx(type: ElementType, props: Props, key?: Key): ReactElement {
  return react.jsx(type, read(props), key);
}

export function jsxs(type: ElementType, props: Props, key?: Key): ReactElement {
  return react.jsxs(type, read(props), key);
}

function read(props: Props): Props {
  if (props.translate === "no") return props;
  let out = props;
  const put = (name: string, value: unknown) => {
    if (out === props) out = { ...props };
    out[name] = value;
  };
  for (const name of READ) {
    const text = props[name];
    if (typeof text !== "string") continue;
    const other = told(text);
    if (other !== text) put(name, other);
  }
  const { children } = props;
  if (typeof children === "string") {
    const other = told(children);
    if (other !== children) put("children", other);
  } else if (Array.isArray(children) && children.some((c) => typeof c === "string"))
    put("children", runs(children as ReactNode[]));
  return out;
}

/** Children with each run of texts and numbers read as one; the places of the others stay. */
function runs(children: ReactNode[]): ReactNode[] {
  const out = [...children];
  const plain = (c: ReactNode) => typeof c === "string" || typeof c === "number";
  for (let start = 0; start < out.length; start++) {
    if (!plain(out[start])) continue;
    let end = start;
    while (end + 1 < out.length && (plain(out[end + 1]) || out[end + 1] === null || out[end + 1] === false)) end++;
    out[start] = toldTogether(
      out
        .slice(start, end + 1)
        .filter(plain)
        .map(String),
    );
    for (let n = start + 1; n <= end; n++) out[n] = "";
    start = end;
  }
  return out;
}
