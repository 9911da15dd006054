/** The fonts of the app, unpacked for documents. */
import { readFile } from 'node:fs/promises'
import { describe, expect, it } from 'vitest'
import { sfntOfWoff } from '../../../stage/chart/woff'

const files = [
  '@fontsource/ibm-plex-sans/files/ibm-plex-sans-greek-400-normal.woff',
  '@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-400-normal.woff',
  '@fontsource/noto-sans-math/files/noto-sans-math-latin-400-normal.woff',
]
const bytesOf = async (file: string) => new Uint8Array(await readFile(`node_modules/${file}`))

/** Sum of all words, as the format defines it. */
function checksum(bytes: Uint8Array): number {
  const whole = new Uint8Array((bytes.length + 3) & ~3)
  whole.set(bytes)
  const view = new DataView(whole.buffer)
  let sum = 0
  for (let at = 0; at < whole.length; at += 4) sum = (sum + view.getUint32(at)) >>> 0
  return sum
}

describe('a font of the app', () => {
  it.each(files)('%s has its tables whole, with the sums that it states', async (file) => {
    const font = sfntOfWoff(await bytesOf(file))
    const view = new DataView(font.buffer)
    const nTables = view.getUint16(4)
    const names = new Set<string>()
    for (let i = 0; i < nTables; i++) {
      const at = 12 + 16 * i
      const name = String.fromCharCode(...font.subarray(at, at + 4))
      names.add(name)
      const [offset, length] = [view.getUint32(at + 8), view.getUint32(at + 12)]
      expect(offset % 4).toBe(0)
      expect(offset + length).toBeLessThanOrEqual(font.length)
      const table = font.slice(offset, offset + length)
      // that of the head is made without its own field
      if (name === 'head') table.fill(0, 8, 12)
      expect(checksum(table), name).toBe(view.getUint32(at + 4))
    }
    for (const name of ['cmap', 'glyf', 'head', 'hmtx', 'maxp', 'name']) expect(names).toContain(name)
    expect(view.getUint16(6)).toBe(16 * 2 ** Math.floor(Math.log2(nTables)))
  })

  it('is nothing else', () => {
    expect(() => sfntOfWoff(new Uint8Array(100))).toThrow('no WOFF font')
  })
})
