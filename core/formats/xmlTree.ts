/**
 * The element tree of an XML result file, with the content of elements left where it is.
 *
 * A scanner of its own rather than an XML library, since arrays are content of hundreds of megabytes: only tags are
 * kept, text is a range of bytes read when asked for, and scanning stops at the appended data. Document types with entities
 * are refused.
 */
import { FormatError } from '../errors'
import type { ByteSource } from './ByteSource'

export interface XmlElement {
  name: string
  attributes: Record<string, string>
  children: XmlElement[]
  /** Bytes between the start tag and the first child or end tag: [start, end). */
  content: [number, number]
}

/** Bytes read at a time: few for a head of a file, more where the tags go on. */
const FIRST_CHUNK = 1 << 14
const CHUNK = 1 << 20
/** Longest tag; a VTK tag is a few hundred characters. */
const MAX_TAG = 1 << 16
const MAX_DEPTH = 50
const MAX_ELEMENTS = 200_000
const LESS = 0x3c
const GREATER = 0x3e
const EXCLAMATION = 0x21
const DASH = 0x2d

/** Bytes of the content of an element that are known to hold no tags; 0 where nothing is known. */
export type ContentLength = (element: XmlElement, root: XmlElement) => Promise<number>

/**
 * @param lengthOf  spares looking for tags in long content
 * @returns the root element; of AppendedData only the tag is read, its content starts after the underscore
 * @throws FormatError when the tags do not nest, the file ends inside one, or there are too many
 */
export async function readXmlTree(source: ByteSource, lengthOf?: ContentLength): Promise<XmlElement> {
  const scanner = new TagScanner(source)
  const stack: XmlElement[] = []
  let count = 0
  for (;;) {
    const tag = await scanner.next()
    if (!tag) {
      const open = stack[stack.length - 1]
      throw new FormatError('cut-off', `${source.name} ends inside <${open?.name ?? 'VTKFile'}>: it is cut off; copy it again.`)
    }
    if (tag.text.startsWith('?') || tag.text.startsWith('!--')) continue
    // a document type that only names itself does no harm; one with entities could grow without end
    if (/^!DOCTYPE[^[]*(\[\s*\])?\s*$/.test(tag.text)) continue
    if (tag.text.startsWith('!')) {
      throw new FormatError('doctype', `${source.name} declares a document type, which result files do not; it is not read.`)
    }
    if (tag.text.startsWith('/')) {
      const open = stack.pop()
      if (!open || open.name !== tag.text.slice(1).trim()) {
        throw new FormatError('bad-xml', `${source.name}: <${tag.text}> at byte ${tag.start} closes nothing; the file is damaged.`)
      }
      if (open.children.length === 0) open.content[1] = tag.start
      if (stack.length === 0) return open
      continue
    }
    if (++count > MAX_ELEMENTS || stack.length >= MAX_DEPTH) {
      throw new FormatError('too-many', `${source.name} has more elements than a result file can have; it is not read.`)
    }
    const element = parseTag(tag.text, tag.end, source.name)
    const parent = stack[stack.length - 1]
    if (parent) {
      if (parent.children.length === 0) parent.content[1] = tag.start
      parent.children.push(element)
    }
    if (element.name === 'AppendedData') {
      element.content = await appendedRange(source, tag.end)
      return stack[0] ?? element
    }
    if (tag.text.endsWith('/')) {
      if (!parent) return element
    } else {
      stack.push(element)
      if (lengthOf) scanner.skip(await lengthOf(element, stack[0]!))
    }
  }
}

async function appendedRange(source: ByteSource, from: number): Promise<[number, number]> {
  const head = await source.read(from, Math.min(from + 4096, source.size))
  const underscore = head.indexOf(0x5f)
  if (underscore < 0) {
    throw new FormatError('bad-appended', `${source.name}: the appended data does not begin with an underscore; the file is damaged.`)
  }
  return [from + underscore + 1, source.size]
}

interface Tag {
  text: string
  start: number
  end: number
}

class TagScanner {
  private chunk: Uint8Array = new Uint8Array(0)
  private chunkStart = 0
  private at = 0
  private size = FIRST_CHUNK

  constructor(private readonly source: ByteSource) {}

  /** Passes over bytes that hold no tags, unless the file ends before. */
  skip(bytes: number): void {
    if (this.at + bytes <= this.source.size) this.at += bytes
  }

  /** Next tag with its text between the brackets; undefined at the end of the file. */
  async next(): Promise<Tag | undefined> {
    const start = await this.find(LESS, this.at, this.source.size)
    if (start < 0) return undefined
    const end = (await this.isComment(start))
      ? await this.endOfComment(start)
      : await this.find(GREATER, start, Math.min(start + MAX_TAG, this.source.size))
    if (end < 0) return undefined
    const isHere = start + 1 >= this.chunkStart && end <= this.chunkStart + this.chunk.length
    const bytes = isHere ? this.chunk.subarray(start + 1 - this.chunkStart, end - this.chunkStart) : await this.source.read(start + 1, end)
    this.at = end + 1
    return { text: new TextDecoder().decode(bytes), start, end: end + 1 }
  }

  private async isComment(start: number): Promise<boolean> {
    const at = start - this.chunkStart
    const head =
      at + 4 <= this.chunk.length ? this.chunk.subarray(at, at + 4) : await this.source.read(start, Math.min(start + 4, this.source.size))
    return head[1] === EXCLAMATION && head[2] === DASH && head[3] === DASH
  }

  /** A comment may hold tags of its own: it ends at the first bracket behind two dashes. */
  private async endOfComment(start: number): Promise<number> {
    for (let at = start + 4; ; at++) {
      at = await this.find(GREATER, at, this.source.size)
      if (at < 0) return -1
      const tail = await this.source.read(at - 2, at)
      if (tail[0] === DASH && tail[1] === DASH) return at
    }
  }

  private async find(byte: number, from: number, limit: number): Promise<number> {
    let at = from
    while (at < limit) {
      if (at < this.chunkStart || at >= this.chunkStart + this.chunk.length) {
        this.chunk = await this.source.read(at, Math.min(at + this.size, this.source.size))
        this.size = Math.min(4 * this.size, CHUNK)
        this.chunkStart = at
        if (this.chunk.length === 0) return -1
      }
      const found = this.chunk.indexOf(byte, at - this.chunkStart)
      if (found >= 0) return this.chunkStart + found < limit ? this.chunkStart + found : -1
      at = this.chunkStart + this.chunk.length
    }
    return -1
  }
}

function parseTag(text: string, end: number, where: string): XmlElement {
  const name = /^[\w:.-]+/.exec(text)?.[0]
  if (!name) throw new FormatError('bad-xml', `${where}: “<${text.slice(0, 20)}” is not a tag; the file is damaged or not XML.`)
  const attributes: Record<string, string> = {}
  for (const match of text.slice(name.length).matchAll(/([\w:.-]+)\s*=\s*(?:"([^"]*)"|'([^']*)')/g)) {
    attributes[match[1]!] = unescapeXml(match[2] ?? match[3] ?? '')
  }
  return { name, attributes, children: [], content: [end, end] }
}

const entities: Record<string, string> = { lt: '<', gt: '>', amp: '&', quot: '"', apos: "'" }

function unescapeXml(text: string): string {
  return text.replace(/&(?:#(\d+)|#x([\da-fA-F]+)|(\w+));/g, (whole, decimal, hex, name) => {
    if (name) return entities[name as string] ?? whole
    const code = decimal ? Number(decimal) : parseInt(hex as string, 16)
    return code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : whole
  })
}

/** Children of one name, in order. */
export function childrenNamed(element: XmlElement | undefined, name: string): XmlElement[] {
  return element?.children.filter((child) => child.name === name) ?? []
}

export function childNamed(element: XmlElement | undefined, name: string): XmlElement | undefined {
  return element?.children.find((child) => child.name === name)
}
