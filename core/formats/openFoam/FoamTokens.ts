/** Words, signs and numbers of OpenFOAM-type files, and the header at their beginning. Positions are in bytes. */
import { FormatError } from '../../errors'
import { plainNumber, plainValue } from '../plainNumbers'
import { parseNumber } from '../TextScanner'

const SPACE = 32
const OPEN = 0x28

const latin = new TextDecoder('latin1')

export class FoamTokens {
  at = 0
  /** Whether the end of the bytes was met: what was read last may go on behind them. */
  metEnd = false
  readonly header: Record<string, string>

  /**
   * @param header  that of the file, where these bytes are from further behind
   * @param first   byte of the file at which these bytes begin
   */
  constructor(
    protected readonly bytes: Uint8Array,
    readonly name: string,
    header?: Record<string, string>,
    protected readonly first = 0,
  ) {
    this.header = header ?? this.readHeader()
  }

  /** Position of the reader in the file, in bytes. */
  get position(): number {
    return this.first + this.at
  }

  /** Bytes that were not read yet. */
  get rest(): Uint8Array {
    return this.bytes.subarray(this.at)
  }

  get class(): string {
    return this.header['class'] ?? ''
  }

  private readHeader(): Record<string, string> {
    const start = this.at
    if (this.token() !== 'FoamFile') {
      this.at = start
      return {}
    }
    this.expect('{')
    const entries: Record<string, string> = {}
    for (;;) {
      const key = this.token()
      if (key === '}') return entries
      if (key === '') throw this.damaged('its header does not end')
      let value = ''
      for (let word = this.token(); word !== ';'; word = this.token()) {
        if (word === '') throw this.damaged('its header does not end')
        value += value ? ` ${word}` : word
      }
      entries[key] = value.replace(/^"|"$/g, '')
    }
  }

  /** Next word, quoted text or single sign of `{}()[];`; empty at the end. */
  token(): string {
    this.skipSpace()
    const { bytes } = this
    if (this.at >= bytes.length) return ''
    const start = this.at
    const first = String.fromCharCode(bytes[start]!)
    if ('{}()[];'.includes(first)) {
      this.at++
      return first
    }
    if (first === '"') {
      const end = bytes.indexOf(0x22, start + 1)
      if (end < 0) throw this.damaged('a quoted text does not end')
      this.at = end + 1
      return latin.decode(bytes.subarray(start, end + 1))
    }
    while (this.at < bytes.length && bytes[this.at]! > SPACE && !isSign(bytes[this.at]!)) this.at++
    if (this.at === bytes.length) this.metEnd = true
    return latin.decode(bytes.subarray(start, this.at))
  }

  peek(): string {
    const start = this.at
    const token = this.token()
    this.at = start
    return token
  }

  expect(sign: string): void {
    const found = this.token()
    if (found !== sign)
      throw this.damaged(
        found === ''
          ? `it ends where “${sign}” should follow: it is cut off`
          : `“${found.slice(0, 30)}” stands at byte ${this.position - found.length} instead of “${sign}”`,
      )
  }

  number(): number {
    this.skipSpace()
    const end = plainNumber(this.bytes, this.at)
    if (end >= 0 && (end === this.bytes.length || this.bytes[end]! <= SPACE || isSign(this.bytes[end]!))) {
      this.at = end
      if (end === this.bytes.length) this.metEnd = true
      return plainValue()
    }
    const word = this.token()
    const value = parseNumber(word)
    if (value === undefined)
      throw this.damaged(word === '' ? 'it is cut off' : `“${word.slice(0, 30)}” at byte ${this.position - word.length} is no number`)
    return value
  }

  protected isOpen(): boolean {
    this.skipSpace()
    return this.bytes[this.at] === OPEN
  }

  /** The same as `expect` of a single sign, for what comes a million times. */
  protected sign(sign: '(' | ')'): void {
    this.skipSpace()
    if (this.bytes[this.at] === sign.charCodeAt(0)) this.at++
    else this.expect(sign)
  }

  private skipSpace(): void {
    const { bytes } = this
    for (;;) {
      while (this.at < bytes.length && bytes[this.at]! <= SPACE) this.at++
      if (this.at >= bytes.length) this.metEnd = true
      if (bytes[this.at] !== 0x2f) return
      if (bytes[this.at + 1] === 0x2f) {
        const end = bytes.indexOf(10, this.at)
        this.at = end < 0 ? bytes.length : end + 1
      } else if (bytes[this.at + 1] === 0x2a) {
        let end = bytes.indexOf(0x2a, this.at + 2)
        while (end >= 0 && bytes[end + 1] !== 0x2f) end = bytes.indexOf(0x2a, end + 1)
        if (end < 0) throw this.damaged('a comment does not end')
        this.at = end + 2
      } else return
    }
  }

  damaged(reason: string): FormatError {
    return new FormatError('bad-foam', `${this.name}: ${reason}; copy it again or write it anew.`)
  }
}

function isSign(byte: number): boolean {
  return byte === 0x7b || byte === 0x7d || byte === 0x28 || byte === 0x29 || byte === 0x5b || byte === 0x5d || byte === 0x3b
}
