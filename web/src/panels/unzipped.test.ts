import { strToU8, zipSync } from "fflate";
import { expect, test } from "vitest";

import { unzipped } from "./unzipped";

const file = (name: string, data: Uint8Array) => new File([data as Uint8Array<ArrayBuffer>], name);

test("the drawings of an archive come in by their names, what systems put beside them does not", async () => {
  const archive = zipSync({
    "order 12/plate.dxf": strToU8("0\nEOF"),
    "order 12/lid.svg": strToU8("<svg/>"),
    "__MACOSX/order 12/._plate.dxf": strToU8("x"),
    "order 12/.DS_Store": strToU8("x"),
    "order 12/empty/": new Uint8Array(0),
  });
  const found = await unzipped([file("alone.dxf", strToU8("0")), file("Order.ZIP", archive)]);
  expect(found.map((f) => f.name)).toEqual(["alone.dxf", "plate.dxf", "lid.svg"]);
  expect(await found[1]!.text()).toBe("0\nEOF");
});

test("a damaged archive is told by its name", async () => {
  await expect(unzipped([file("torn.zip", strToU8("PK, and nothing more"))])).rejects.toThrow("“torn.zip”");
});
