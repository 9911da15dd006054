/** Schema of a setting that is one of some words. */
import { Type } from '@sinclair/typebox'

export function oneOf<T extends string>(...words: readonly T[]) {
  return Type.Union(words.map((word) => Type.Literal(word)))
}
