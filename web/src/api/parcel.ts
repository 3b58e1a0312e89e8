/** A parcel: a JSON head and arrays behind it, as core/tectogon/display/packing.py writes it. */

const TYPES = {
  float32: Float32Array,
  float64: Float64Array,
  uint8: Uint8Array,
  uint16: Uint16Array,
  uint32: Uint32Array,
} as const;

export type ParcelArray = Float32Array | Float64Array | Uint8Array | Uint16Array | Uint32Array;

export interface Parcel<Facts> {
  facts: Facts;
  arrays: Record<string, ParcelArray>;
}

export function unpack<Facts>(data: ArrayBuffer): Parcel<Facts> {
  const length = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as {
    facts: Facts;
    arrays: Record<string, { dtype: keyof typeof TYPES; shape: number[]; offset: number }>;
  };
  const arrays: Record<string, ParcelArray> = {};
  for (const [name, entry] of Object.entries(head.arrays)) {
    const count = entry.shape.reduce((a, b) => a * b, 1);
    arrays[name] = new TYPES[entry.dtype](data, 4 + length + entry.offset, count);
  }
  return { facts: head.facts, arrays };
}
