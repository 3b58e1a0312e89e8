import { expect, test } from "vitest";

import { commonName, grouped } from "./boards";

const file = (name: string, text: string) => new File([text], name),
  gerber = (name: string, says = "") => file(name, `G04 made*\n${says}%FSLAX46Y46*%\n`);

test("the layers of a board are one group, its edge first; other files stay alone", async () => {
  const files = [
    file("a.dxf", "0\nSECTION\n"),
    gerber("bridge-F_Cu.gbr"),
    gerber("bridge-Edge_Cuts.gbr"),
    file("bridge.drl", "M48\nMETRIC\n"),
    file("b.svg", "<svg/>"),
  ];
  expect((await grouped(files)).map((g) => g.map((f) => f.name))).toEqual([
    ["a.dxf"],
    ["bridge-Edge_Cuts.gbr", "bridge-F_Cu.gbr", "bridge.drl"],
    ["b.svg"],
  ]);
  const told = [gerber("1.gbr"), gerber("2.gbr", "G04 #@! TF.FileFunction,Profile,NP*\n")];
  expect((await grouped(told))[0]!.map((f) => f.name)).toEqual(["2.gbr", "1.gbr"]);
  expect(await grouped([files[0]!, files[1]!])).toHaveLength(2);
});

test("a board is called by what its files' names have in common", () => {
  expect(commonName(["bridge-F_Cu.gbr", "bridge-Edge_Cuts.gbr", "bridge.drl"])).toBe("bridge");
  expect(commonName(["top.gtl", "edge.gko"])).toBe("top.gtl");
});
