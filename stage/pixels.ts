/** Rows of pixels as they are read come from the bottom up: from top to bottom. */
export function flipRows(pixels: Uint8Array, width: number, height: number): Uint8Array {
  const out = new Uint8Array(pixels.length)
  for (let y = 0; y < height; y++) out.set(pixels.subarray(4 * width * (height - 1 - y), 4 * width * (height - y)), 4 * width * y)
  return out
}

/** Pixels of CSS in a point: 96 to the inch against 72. */
export const PIXELS_PER_POINT = 96 / 72
