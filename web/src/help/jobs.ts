/** The everyday jobs, step by step, each with a picture of the view that matters in it; and what is new. */

export interface Job {
  key: string;
  title: string;
  /** What one has, and what one gets. */
  from: string;
  steps: string[];
  /** A picture of docs/screenshots, and what it shows. */
  picture: string;
  shows: string;
}

export const JOBS: Job[] = [
  {
    key: "three-views",
    title: "A drawing of three views becomes a part",
    from: "A supplier’s sheet as DXF, DWG or PDF, with border, sizes and a pictorial view.",
    steps: [
      "Drop the file on the shelf. Look at Bring in: which unit it is in, and what speaks for it.",
      "In Tidy, leave out what is no geometry. What is certain is proposed with its reason; look at the rest by hand.",
      "In Arrange, say which angle of projection it is, or take the one proposed, and line the views up.",
      "In Build, press “From the views”. Where the drawing can be read two ways, it is asked.",
      "In Check, look straight on at each face, and at every stated size. What does not agree is marked.",
    ],
    picture: "arrange",
    shows: "Views in line, and folded into space beside it",
  },
  {
    key: "close",
    title: "Find out why something does not close",
    from: "Linework with gaps, doubles, crossings that are not joined.",
    steps: [
      "Tidy lists what is wrong, the nearest gap first. N and P go from one to the next; the sheet goes there.",
      "Each has its remedy beside it, with the distance: pull ends together, drop the double, split at the crossing.",
      "“Mend all of this kind” does what is alike at once. Nothing is changed that was not listed.",
      "In Close every closed region is hatched, with its figures; open ends are counted.",
    ],
    picture: "tidy",
    shows: "What was found, and where",
  },
  {
    key: "plate",
    title: "An outline becomes a plate, with holes and pockets",
    from: "A silhouette or a flat part, as SVG, DXF or a picture.",
    steps: [
      "In Build, press the region on the sheet, or A for all material; then 1 for Extrude and the thickness.",
      "For a pocket press its region, then 2 for Cut: by a depth, through all, or as deep as another view shows it.",
      "Enter records. Every value on the route card can be pressed and changed later; everything after follows.",
    ],
    picture: "writing",
    shows: "The sentence that is being written, and its preview",
  },
  {
    key: "foil",
    title: "A table of coordinates becomes a fin",
    from: "Points of a section, with or without headings, in millimetres or in shares of the chord.",
    steps: [
      "Drop the table. Its unit and its kind of edge are said; a chord of one is scaled in the sentence.",
      "In Build, 6 for Loft: the two chords, how far apart, how far set back, how much turned.",
      "Lines between the sections show what goes to what; press one to begin a section elsewhere.",
    ],
    picture: "loft",
    shows: "A fin, tapered, set back and turned",
  },
  {
    key: "art",
    title: "Art on a face",
    from: "An emblem or lettering as SVG, or a picture that is traced.",
    steps: [
      "Bring the art in as a second sheet; smooth it in Tidy if it has thousands of pieces.",
      "In Build, 8 for Engrave; press the face. Drag it to its place, by a corner to its size, by its edge to turn it.",
      "Say raised or cut, how deep, and whether its sides lean. Counters keep their material.",
    ],
    picture: "art-on-a-face",
    shows: "Art that is being dragged on a lid",
  },
  {
    key: "picture",
    title: "A scan or a photograph is traced",
    from: "A picture without a scale.",
    steps: [
      "In Bring in, press the colour that is meant, and say how dark it must be.",
      "Give it a scale by a size that is known.",
      "Its outline lies over the picture; smooth it within a deviation that is said.",
    ],
    picture: "picture",
    shows: "The outline over the picture it came from",
  },
  {
    key: "depths",
    title: "Regions at different depths",
    from: "A drawing in which each region has a thickness of its own, or a board’s artwork by levels.",
    steps: [
      "Press a region: depths that other views show are proposed, with the lines they come from.",
      "Or By nesting: the outside and each level inside it to a height of its own.",
      "Where a region touches itself in a point, it is said before the solid fails, with two ways out.",
    ],
    picture: "depths",
    shows: "Depths that other views propose",
  },
  {
    key: "sheet-metal",
    title: "A bent part and its blank",
    from: "A section line, or a solid of one thickness.",
    steps: [
      "Sheet from a line, or Sheet metal on a body: thickness, inner radius, K or the workshop’s own table.",
      "Flanges stand on picked edges; reliefs and corners are made where walls meet.",
      "In Hand over take the blank as DXF by layers, and its bend table.",
    ],
    picture: "blank",
    shows: "A flat blank with its bends",
  },
  {
    key: "library",
    title: "Sections for the company’s library, and bars of them",
    from: "A supplier’s sections, one drawing each.",
    steps: [
      "In the library drop a folder of drawings: each is cleaned by itself, and what is not sure is asked.",
      "Or keep a picked profile from Close, with a number.",
      "In a part, Bar: a section, a length, ends square or mitred, side by side at the pitch.",
      "In Hand over take the parts list, and the cut list packed into stock.",
    ],
    picture: "library",
    shows: "Sections to one scale",
  },
  {
    key: "newer-issue",
    title: "A newer issue of a drawing",
    from: "A part, and a drawing that changed.",
    steps: [
      "In Bring in, “A newer issue of it”. Nothing is recorded by that.",
      "What changed is marked on the sheet and listed; beside it, which steps follow and what becomes of the part.",
      "Where a step loses what it stood on, the likeliest new pick is offered.",
      "Use the newer issue, or keep the present one. The part’s history holds both; any revision can be held against now as a solid.",
    ],
    picture: "newer-issue",
    shows: "What changed, before it is taken",
  },
  {
    key: "hand-over",
    title: "Hand it over",
    from: "A part that agrees with its drawing.",
    steps: [
      "Draw the sheet: views, sections, details, sizes; drag any of them. What is not fixed by a size is listed.",
      "Printing: whether it can be printed on your bed, where walls are thin, what hangs.",
      "Download STEP, STL, 3MF, PDF, DXF one by one, or everything in one as a zip named by number and issue.",
    ],
    picture: "hand-over",
    shows: "The drawing sheet, drawn",
  },
];

export const NEWS: { when: string; what: string[] }[] = [
  {
    when: "November 2026",
    what: [
      "Placed parts stand corner on corner, in a grid or a circle; parts lists with item numbers on the sheet.",
      "History shows pictures, and holds an earlier revision against now as two solids.",
      "A picked profile goes into the library; a newer issue offers the likeliest new pick.",
      "A second factor, places where you are signed in, a new password by mail.",
      "The pages in German, if you like: at the door, or on the page of your account.",
    ],
  },
];
