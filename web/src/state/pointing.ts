/** What is pointed at and pressed, when what is shown is computed anew: the same again, where it is still there. */

import type { PartData, Piece } from "../scene/partData";
import type { SheetData } from "../scene/sheetData";
import type { Shown, TableState } from "./table";

type Pointing = Pick<TableState, "hover" | "pickedPieces">;
const NOTHING: Pointing = { hover: { curves: [], region: -1, piece: null }, pickedPieces: [] };

export function stillPointed({ hover, pickedPieces }: Pointing, before: Shown | null, after: Shown): Pointing {
  if (!before) return NOTHING;
  const again = (piece: Piece) => pieceAgain(piece, before.part, after.part),
    piece = hover.piece && again(hover.piece);
  return {
    hover: { ...rowsAgain(hover, before.sheet, after.sheet), piece },
    pickedPieces: pickedPieces.flatMap((one) => again(one) ?? []),
  };
}

/** Curves are let go with their sheet: they may be left out by now. */
function rowsAgain({ curves, region }: TableState["hover"], before: SheetData, after: SheetData) {
  if (before === after) return { curves, region };
  const id = before.closed[region]?.id;
  return { curves: [], region: id === undefined ? -1 : after.closed.findIndex((r) => r.id === id) };
}

/** A face is known by its body and key, an edge by the faces it lies between; null where that is nothing or several. */
function pieceAgain(piece: Piece, before: PartData, after: PartData): Piece | null {
  const known = nameOf(before, piece.type, piece.index),
    list = piece.type === "face" ? after.facts.faces : after.facts.edges;
  const found = list.flatMap((_, n) => (nameOf(after, piece.type, n) === known ? [n] : []));
  return found.length === 1 ? { ...piece, index: found[0]! } : null;
}

function nameOf({ facts }: PartData, type: Piece["type"], index: number): string {
  const name = (n: number) => `${facts.faces[n]?.body} ${facts.faces[n]?.key}`;
  return type === "face" ? name(index) : (facts.edges[index]?.faces.map(name).sort().join(" | ") ?? "");
}
