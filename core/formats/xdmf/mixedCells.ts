/** Cells of mixed topologies: type of the core and number of nodes by their code in the list. Lines and polygons state theirs. */
export const mixedCells: Record<number, readonly [number, number]> = {
  4: [5, 3],
  5: [9, 4],
  6: [10, 4],
  7: [14, 5],
  8: [13, 6],
  9: [12, 8],
  34: [21, 3],
  35: [28, 9],
  36: [22, 6],
  37: [23, 8],
  38: [24, 10],
  39: [27, 13],
  40: [26, 15],
  41: [32, 18],
  48: [25, 20],
  50: [29, 27],
}

/** Codes by the type of the core. */
export const mixedCodes: Record<number, number> = Object.fromEntries(
  Object.entries(mixedCells).map(([code, [type]]) => [type, Number(code)]),
)

export const POLYHEDRON = 16
