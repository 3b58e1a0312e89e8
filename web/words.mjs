/**
 * Prints every text that the pages may show, as JSON: [{ text, file, line }]. A text with values in it has {0}, {1}, …
 * where they stand. What stands between two elements is one text, and its pieces are texts too.
 */

import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import ts from "typescript";

const NEVER = new Set([
  "className",
  "key",
  "type",
  "role",
  "href",
  "id",
  "d",
  "viewBox",
  "htmlFor",
  "rel",
  "target",
  "translate",
  "lang",
]);
/** What is no text: styles, selectors, shaders, addresses. */
const CODE =
  /void main|gl_Frag|https?:|^\.|=>|\$\{|\[data-|translate\(|repeat\(|px-|input, |button, |form\[|url\(|fr 5px|not in order|^(polite|lazy|main|transparent|evenodd|vertical|quiet)$/;
const found = [];

function add(text, node, source) {
  const flat = text.replace(/\s+/g, " ").trim();
  if (!/[a-z]{2}/i.test(flat.replace(/\{\d+\}/g, "")) || CODE.test(flat)) return;
  const { line } = source.getLineAndCharacterOfPosition(node.getStart(source));
  found.push({ text: flat, file: source.fileName, line: line + 1 });
}

const styled = (text) =>
  text.split(/\s+/).every((w) => /^[a-z0-9:[\]\-/.#%&>_()!,*@=]+$/.test(w)) && /[-:[]/.test(text);

/** Children of an element as runs of text and values; an element ends a run. */
function runs(children) {
  const out = [[]];
  for (const child of children) {
    if (ts.isJsxText(child)) {
      const text = child.text.replace(/[ \t]*\n[ \t\n]*/g, (m, at) =>
        at === 0 || at + m.length === child.text.length ? "" : " ",
      );
      if (text) out.at(-1).push(text);
    } else if (ts.isJsxExpression(child)) {
      if (!child.expression) continue;
      if (ts.isStringLiteralLike(child.expression)) out.at(-1).push(child.expression.text);
      else if (ts.isTemplateExpression(child.expression)) out.at(-1).push(...pieces(child.expression));
      else out.at(-1).push(null);
    } else out.push([]);
  }
  return out.filter((run) => run.some((piece) => piece !== null));
}

const pieces = (template) => [template.head.text, ...template.templateSpans.flatMap((s) => [null, s.literal.text])];
const told = (run) => {
  let n = 0;
  return run.map((piece) => (piece === null ? `{${n++}}` : piece)).join("");
};

function walk(node, source) {
  if (ts.isImportDeclaration(node) || ts.isTypeNode(node) || ts.isExportDeclaration(node)) return;
  if (ts.isJsxElement(node) || ts.isJsxFragment(node)) {
    for (const run of runs(node.children)) {
      add(told(run), node, source);
      if (run.length > 1) for (const piece of run) if (piece !== null) add(piece, node, source);
    }
  }
  if (ts.isJsxAttribute(node) && NEVER.has(node.name.getText(source))) return;
  if (ts.isStringLiteralLike(node) && !ts.isJsxExpression(node.parent)) {
    const text = node.text;
    const known = ts.isJsxAttribute(node.parent);
    if ((known || /[a-z,.;] [a-z(]/i.test(text) || /^[A-Z][a-z]+$/.test(text)) && !styled(text))
      add(text, node, source);
  }
  if (ts.isStringLiteralLike(node) && ts.isJsxExpression(node.parent) && !styled(node.text))
    add(node.text, node, source);
  if (ts.isTemplateExpression(node)) {
    const text = told(pieces(node));
    if (/[a-z]{2}.* |.* [a-z]{2}/i.test(text.replace(/\{\d+\}/g, "")) && !styled(text.replace(/\{\d+\}/g, "")))
      add(text, node, source);
  }
  ts.forEachChild(node, (child) => walk(child, source));
}

function files(folder) {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) return files(path);
    return /\.tsx?$/.test(entry.name) && !/(\.test|\.fixture|schema)\.ts$/.test(entry.name) && !path.includes("src/words/")
      ? [path]
      : [];
  });
}

for (const path of files("src").sort()) {
  const kind = path.endsWith("x") ? ts.ScriptKind.TSX : ts.ScriptKind.TS;
  const source = ts.createSourceFile(path, readFileSync(path, "utf8"), ts.ScriptTarget.Latest, true, kind);
  walk(source, source);
}
process.stdout.write(JSON.stringify(found));
