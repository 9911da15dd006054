/**
 * Colour maps: open perceptual ones as a few control colours, interpolated in linear steps.
 *
 * viridis, cividis, magma, inferno and plasma after the published CC0 tables of their authors (van der Walt and Smith 2015; Nuñez,
 * Anderton and Renslow 2018), sampled at eleven points; turbo (Mikhailov 2019, Apache 2.0) at fifteen; purple–green, brown–teal,
 * orange–purple, blues and browns from ColorBrewer (Brewer, Harrower). Studies may hold maps of their own.
 */
export interface ColourMap {
  id: string
  title: string
  kind: 'sequential' | 'diverging'
  /** sRGB, at equal distances. */
  colours: readonly string[]
}

export const colourMaps: readonly ColourMap[] = [
  {
    id: 'viridis',
    title: 'Viridis',
    kind: 'sequential',
    colours: ['#440154', '#482475', '#414487', '#355f8d', '#2a788e', '#21918c', '#22a884', '#44bf70', '#7ad151', '#bddf26', '#fde725'],
  },
  {
    id: 'cividis',
    title: 'Cividis',
    kind: 'sequential',
    colours: ['#00224e', '#083370', '#35456c', '#4f576c', '#666970', '#7d7c78', '#948e77', '#aea371', '#c8b866', '#e5cf52', '#fee838'],
  },
  {
    id: 'magma',
    title: 'Magma',
    kind: 'sequential',
    colours: ['#000004', '#140e36', '#3b0f70', '#641a80', '#8c2981', '#b73779', '#de4968', '#f7705c', '#fe9f6d', '#fecf92', '#fcfdbf'],
  },
  {
    id: 'inferno',
    title: 'Inferno',
    kind: 'sequential',
    colours: ['#000004', '#160b39', '#420a68', '#6a176e', '#932667', '#bc3754', '#dd513a', '#f37819', '#fca50a', '#f6d746', '#fcffa4'],
  },
  {
    id: 'plasma',
    title: 'Plasma',
    kind: 'sequential',
    colours: ['#0d0887', '#41049d', '#6a00a8', '#8f0da4', '#b12a90', '#cc4778', '#e16462', '#f2844b', '#fca636', '#fcce25', '#f0f921'],
  },
  {
    id: 'blues',
    title: 'Blues',
    kind: 'sequential',
    colours: ['#f7fbff', '#deebf7', '#c6dbef', '#9ecae1', '#6baed6', '#4292c6', '#2171b5', '#08519c', '#08306b'],
  },
  {
    id: 'browns',
    title: 'Browns',
    kind: 'sequential',
    colours: ['#ffffe5', '#fff7bc', '#fee391', '#fec44f', '#fe9929', '#ec7014', '#cc4c02', '#993404', '#662506'],
  },
  {
    id: 'turbo',
    title: 'Turbo',
    kind: 'sequential',
    colours: [
      ...['#30123b', '#4145ab', '#4675ed', '#39a2fc', '#1bcfd4', '#24eca6', '#61fc6c', '#a4fc3c'],
      ...['#d1e834', '#f3c63a', '#fe9b2d', '#f36315', '#d93806', '#b11901', '#7a0402'],
    ],
  },
  { id: 'greys', title: 'Greys', kind: 'sequential', colours: ['#1f1f1f', '#f2f2f2'] },
  {
    id: 'purple-green',
    title: 'Purple–green',
    kind: 'diverging',
    colours: ['#40004b', '#762a83', '#9970ab', '#c2a5cf', '#e7d4e8', '#f7f7f7', '#d9f0d3', '#a6dba0', '#5aae61', '#1b7837', '#00441b'],
  },
  {
    id: 'brown-teal',
    title: 'Brown–teal',
    kind: 'diverging',
    colours: ['#543005', '#8c510a', '#bf812d', '#dfc27d', '#f6e8c3', '#f5f5f5', '#c7eae5', '#80cdc1', '#35978f', '#01665e', '#003c30'],
  },
  {
    id: 'orange-purple',
    title: 'Orange–purple',
    kind: 'diverging',
    colours: ['#7f3b08', '#b35806', '#e08214', '#fdb863', '#fee0b6', '#f7f7f7', '#d8daeb', '#b2abd2', '#8073ac', '#542788', '#2d004b'],
  },
]

/** Maps that studies bring along, by the id that looks name them by. */
const ownMaps = new Map<string, ColourMap>()

/** Makes maps known that are not among those above. */
export function keepMaps(maps: readonly ColourMap[]): void {
  for (const map of maps) ownMaps.set(map.id, map)
}

/** Colours in a look-up table drawn from a map. */
export const TABLE_SIZE = 256

export function colourMap(id: string): ColourMap {
  return colourMaps.find((map) => map.id === id) ?? ownMaps.get(id) ?? colourMaps[0]!
}

/** Map for a new look: every variable starts sequential, signed ones are switched by their range. */
export function defaultMap(): string {
  return 'viridis'
}

/** RGBA bytes (4 × TABLE_SIZE). */
export function colourTable(id: string, isReversed = false): Uint8Array {
  const table = new Uint8Array(4 * TABLE_SIZE)
  for (let i = 0; i < TABLE_SIZE; i++) table.set([...colourAt(id, i / (TABLE_SIZE - 1), isReversed), 255], 4 * i)
  return table
}

/** Colour at t in [0, 1], as bytes. */
export function colourAt(id: string, t: number, isReversed = false): [number, number, number] {
  const { colours } = colourMap(id)
  const at = Math.min(Math.max(isReversed ? 1 - t : t, 0), 1) * (colours.length - 1)
  const i = Math.min(Math.floor(at), colours.length - 2)
  const [a, b] = [rgb(colours[i]!), rgb(colours[i + 1]!)]
  return [0, 1, 2].map((c) => Math.round(a[c]! + (b[c]! - a[c]!) * (at - i))) as [number, number, number]
}

export function rgb(hex: string): [number, number, number] {
  const n = parseInt(hex.slice(1), 16)
  return [n >> 16, (n >> 8) & 255, n & 255]
}
