/** Keys: digests of what a computation is given. Equal keys mean equal results. */
import { sha256 } from '@noble/hashes/sha2.js'

/** 32 hexadecimal digits: 128 bits. */
export type Key = string

const encoder = new TextEncoder()

/** SHA-256 of plain JSON, cut to 128 bits. The order of names in objects does not count. */
export function digest(...parts: readonly unknown[]): Key {
  const bytes = sha256(encoder.encode(JSON.stringify(inOrder(parts))))
  let text = ''
  for (let i = 0; i < 16; i++) text += hex[bytes[i]!]!
  return text
}

const hex = Array.from({ length: 256 }, (_, i) => i.toString(16).padStart(2, '0'))

/** The value itself where all names are in order, which is faster than a function that `JSON.stringify` calls for every value. */
function inOrder(value: unknown): unknown {
  if (typeof value !== 'object' || value === null) return value
  if (Array.isArray(value)) {
    let changed: unknown[] | undefined
    for (let i = 0; i < value.length; i++) {
      const entry = inOrder(value[i])
      if (entry !== value[i]) (changed ??= [...(value as unknown[])])[i] = entry
    }
    return changed ?? value
  }
  const names = Object.keys(value)
  let isInOrder = true
  for (let i = 0; i < names.length && isInOrder; i++) {
    const entry = (value as Record<string, unknown>)[names[i]!]
    isInOrder = (i === 0 || names[i - 1]! < names[i]!) && inOrder(entry) === entry
  }
  if (isInOrder) return value
  return Object.fromEntries(names.sort().map((name) => [name, inOrder((value as Record<string, unknown>)[name])]))
}
