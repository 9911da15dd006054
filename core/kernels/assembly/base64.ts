/** Base64 (RFC 4648, with padding), four letters at a time. */

const PAD: u32 = 0x3d
/** What a letter stands for is looked up where four of them are put together; this one is none. */
const NONE: u8 = 0xff

const values = memory.data(256)

function fillValues(): void {
  memory.fill(values, NONE, 256)
  for (let i: u8 = 0; i < 26; i++) {
    store<u8>(values + 65 + i, i)
    store<u8>(values + 97 + i, 26 + i)
  }
  for (let i: u8 = 0; i < 10; i++) store<u8>(values + 48 + i, 52 + i)
  store<u8>(values + 43, 62)
  store<u8>(values + 47, 63)
}

let isFilled = false

/**
 * @param text  n letters, a multiple of four
 * @param out   room for 3/4 n bytes and one more
 * @returns bytes written; -1 where a letter is none of base64 or padding does not end the text
 */
export function decodeBase64(text: usize, n: usize, out: usize): i32 {
  if (!isFilled) fillValues()
  isFilled = true
  if (!n) return 0
  const start = out
  let seen: u32 = 0
  for (const last = text + n - 4; text < last; text += 4) {
    const quad = load<u32>(text)
    const a = <u32>load<u8>(values + (quad & 255))
    const b = <u32>load<u8>(values + ((quad >>> 8) & 255))
    const c = <u32>load<u8>(values + ((quad >>> 16) & 255))
    const d = <u32>load<u8>(values + (quad >>> 24))
    seen |= a | b | c | d
    // the fourth byte is written over by the next quad
    store<u32>(out, (a << 2) | (b >>> 4) | (((b << 4) | (c >>> 2)) & 255) << 8 | (((c << 6) | d) & 255) << 16)
    out += 3
  }
  const c = <u32>load<u8>(text, 2)
  const d = <u32>load<u8>(text, 3)
  const first = <u32>load<u8>(values + <u32>load<u8>(text))
  const second = <u32>load<u8>(values + <u32>load<u8>(text, 1))
  const third = c == PAD ? 0 : <u32>load<u8>(values + c)
  const fourth = d == PAD ? 0 : <u32>load<u8>(values + d)
  if ((seen | first | second | third | fourth) & 0xc0 || (c == PAD && d != PAD)) return -1
  store<u8>(out, (first << 2) | (second >>> 4))
  store<u8>(out + 1, (second << 4) | (third >>> 2))
  store<u8>(out + 2, (third << 6) | fourth)
  return <i32>(out - start + 3 - (c == PAD ? 1 : 0) - (d == PAD ? 1 : 0))
}
