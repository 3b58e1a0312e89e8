import { describe, expect, it } from "vitest";

import german from "../../../words/de.po";
import sentences from "../../../words/sentences.json";
import { Reader, SENTENCE } from "./catalogue";

const reader = () =>
  new Reader({
    texts: {
      Save: "Sichern",
      and: "und",
      by: "nach",
      front: "vorn",
      top: "oben",
      "{0} curve": "{0} Kurve",
      "{0} curves": "{0} Kurven",
      "{0} of {1}": "{0} von {1}",
      "The {0} view does not close.": "Die Ansicht {0} schließt sich nicht.",
      "Mend it. Then try again.": "Bessern Sie es aus. Dann noch einmal.",
      "Renamed “{0}”": "„{0}“ umbenannt",
    },
    within: { sentence: { by: "um", Cut: "Schneide" }, Cut: { of: "von:" } },
    sentences: { "Cut ": [" of ", " ", ", in ", " by "], "Extrude ": [" by "] },
  });

describe("a text in another language", () => {
  it.each([
    ["Save", "Sichern"],
    ["  Save ", "  Sichern "],
    ["Front", "Vorn"],
    ["12 curves", "12 Kurven"],
    ["1,234 curves", "1\u202f234 Kurven"],
    ["The front view does not close.", "Die Ansicht vorn schließt sich nicht."],
    ["front, top", "vorn, oben"],
    ["front and top", "vorn und oben"],
    ["Save…", "Sichern…"],
    ["12 curves; front: 1 curve", "12 Kurven; vorn: 1 Kurve"],
  ])("%s", (english, german) => {
    expect(reader().told(english)).toBe(german);
  });

  it("leaves names and quoted words as they are", () => {
    const some = reader();
    expect(some.told("Plate of three thicknesses")).toBe("Plate of three thicknesses");
    expect(some.told("Renamed “top”")).toBe("„top“ umbenannt");
    expect(some.told("3 of 12")).toBe("3 von 12");
    expect([...some.untold]).toEqual(["Plate of three thicknesses"]);
  });

  it("reads several sentences as far as they belong together", () => {
    const text = "The top view does not close. Mend it. Then try again.";
    expect(reader().told(text)).toBe("Die Ansicht oben schließt sich nicht. Bessern Sie es aus. Dann noch einmal.");
  });

  it("knows words by the place they stand in", () => {
    expect(reader().told(" by ", "sentence")).toBe(" um ");
    expect(reader().told(" by ")).toBe(" nach ");
  });

  it("does not read again what it has read", () => {
    const some = reader();
    expect(some.told(some.told("12 curves"))).toBe("12 Kurven");
    expect(some.untold.size).toBe(0);
  });

  it("reads a sentence as the card shows it, words and values by turns", () => {
    const some = reader();
    expect(some.told("Cut front of 3 curves by 1 mm, in “by of”")).toBe(
      "Schneide vorn von: 3 Kurven um 1 mm, in “by of”",
    );
    expect(some.told("12 curves; Cut top by 2 mm")).toBe("12 Kurven; Schneide oben um 2 mm");
  });

  it("refuses a text whose values are not in order", () => {
    expect(() => new Reader({ texts: { "{1} and {0} more": "x" }, within: {} })).toThrow("not in order");
  });
});

it.each(Object.entries(sentences))(
  "all words of a sentence that begins with “%s” are known in German",
  (start, between) => {
    const some = new Reader({ ...german, sentences });
    for (const word of [start, ...between]) some.told(word, start.trim(), SENTENCE);
    expect([...some.untold]).toEqual([]);
  },
);

it("reads a whole sentence of an operation in German", () => {
  const some = new Reader({ ...german, sentences });
  const text =
    "Changed 20: Extrude 3 profiles by 12 mm, to one side, towards you, starting at 0 mm, its sides upright, each as a new body";
  expect(some.told(text)).toContain("Extrudiere 3 Profile um 12 mm, zu einer Seite, zu Ihnen hin, beginnend bei 0 mm");
  expect([...some.untold]).toEqual([]);
});

it("what people have written stays, whatever it means elsewhere", () => {
  const reader = new Reader({
    texts: {
      Section: "Querschnitt",
      "{0} is here": "{0} ist da",
      here: "hier",
      "What {0} is made of": "Woraus {0} besteht",
      front: "Ansicht von vorn",
    },
    within: {},
  });
  expect(reader.told("What Section is made of")).toBe("Woraus Querschnitt besteht");
  reader.keep(["Section", "front, left-hand", "here"]);
  expect(reader.told("What Section is made of")).toBe("Woraus Section besteht");
  expect(reader.told("here is here")).toBe("here ist da");
  expect(reader.told("What front, left-hand is made of")).toBe("Woraus front, left-hand besteht");
  expect(reader.told("Section")).toBe("Querschnitt"); // the word itself; where it is a name the element says so
});
