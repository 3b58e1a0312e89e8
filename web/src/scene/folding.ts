/**
 * A blank folded up as far as one likes: every flat turns about its bend, every bend keeps the length of its neutral
 * line, so that nothing opens or overlaps on the way. Plain numbers, no drawing. mm.
 */

import type { BlankFound } from "../api/client";

type Vec = [number, number, number];
/** Columns of the axes, then the origin: where a piece's own blank lies in space. */
interface Place {
  x: Vec;
  y: Vec;
  z: Vec;
  o: Vec;
}
type Zone = BlankFound["zones"][number];

const STILL: Place = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1], o: [0, 0, 0] };
const FLAT = 1e-6;

const at = (p: Place, [u, v, w]: Vec): Vec =>
  [0, 1, 2].map((k) => p.o[k]! + u * p.x[k]! + v * p.y[k]! + w * p.z[k]!) as Vec;
const dir = (p: Place, [u, v, w]: Vec): Vec => [0, 1, 2].map((k) => u * p.x[k]! + v * p.y[k]! + w * p.z[k]!) as Vec;

/** How far across a bend, and how high, a point lies that is `u` across it in the flat, at height `w`. */
function bent(zone: Zone, thickness: number, share: number, u: number, w: number): [number, number] {
  const angle = zone.angle * share;
  if (angle < FLAT) return [u, w];
  const middle = zone.up ? -zone.k * thickness : -(1 - zone.k) * thickness,
    radius = zone.allowance / angle,
    turn = (angle * u) / zone.allowance;
  if (zone.up) {
    const off = middle + radius - w;
    return [off * Math.sin(turn), middle + radius - off * Math.cos(turn)];
  }
  const off = w - middle + radius;
  return [off * Math.sin(turn), middle - radius + off * Math.cos(turn)];
}

/** The point of a zone's parent blank that a point (x, y, w) of the bend comes to. */
function inParent(zone: Zone, thickness: number, share: number, [x, y, w]: Vec): Vec {
  const off = [x - zone.start[0], y - zone.start[1]] as const,
    along = off[0] * zone.along[0] + off[1] * zone.along[1],
    [u, high] = bent(zone, thickness, share, off[0] * zone.across[0] + off[1] * zone.across[1], w);
  return [
    zone.start[0] + along * zone.along[0] + u * zone.across[0],
    zone.start[1] + along * zone.along[1] + u * zone.across[1],
    high,
  ];
}

/** Where the blank of each flat lies, by its face, once folded by a share. */
export function places(found: BlankFound, share: number): Map<number, Place> {
  const out = new Map<number, Place>([[found.fixed, STILL]]);
  for (const zone of found.zones) {
    const parent = out.get(zone.parent) ?? STILL,
      angle = zone.angle * share * (zone.up ? 1 : -1);
    const [c, s] = [Math.cos(angle), Math.sin(angle)];
    // in the parent's blank: across goes up (or down) with the angle, along stays
    const across: Vec = [c * zone.across[0], c * zone.across[1], s],
      up: Vec = [-s * zone.across[0], -s * zone.across[1], c],
      along: Vec = [zone.along[0], zone.along[1], 0];
    const far: [number, number] = [
        zone.start[0] + zone.allowance * zone.across[0],
        zone.start[1] + zone.allowance * zone.across[1],
      ],
      [u, high] = bent(zone, found.thickness, share, zone.allowance, 0),
      end: Vec = [zone.start[0] + u * zone.across[0], zone.start[1] + u * zone.across[1], high];
    // the child's blank axes x and y by how across and along lie in it
    const axis = (ax: number, ay: number): Vec => {
      const a = ax * zone.across[0] + ay * zone.across[1],
        l = ax * zone.along[0] + ay * zone.along[1];
      return [0, 1, 2].map((k) => a * across[k]! + l * along[k]!) as Vec;
    };
    const x = axis(1, 0),
      y = axis(0, 1),
      o = [0, 1, 2].map((k) => end[k]! - far[0] * x[k]! - far[1] * y[k]!) as Vec;
    out.set(zone.child, { x: dir(parent, x), y: dir(parent, y), z: dir(parent, up), o: at(parent, o) });
  }
  return out;
}

/** A map from the flat (x, y, height) of each piece to space, the part's own where it is folded whole. */
export function folded(found: BlankFound, share: number) {
  const where = places(found, share),
    home = (p: Vec): Vec => found.home.map((row) => row[0]! * p[0] + row[1]! * p[1] + row[2]! * p[2] + row[3]!) as Vec;
  return {
    flat: (face: number, p: Vec): Vec => home(at(where.get(face) ?? STILL, p)),
    bend: (n: number, p: Vec): Vec => {
      const zone = found.zones[n]!;
      return home(at(where.get(zone.parent) ?? STILL, inParent(zone, found.thickness, share, p)));
    },
  };
}
