/** A colour map from a file of JSON: `{ "title": …, "colours": ["#rrggbb", …] }`. */
import type { Static } from '@sinclair/typebox'
import { checkSchema } from './check'
import { MapSchema } from './studyModel'

/** @returns the map, or a sentence on what is wrong */
export function readMap(text: string, file: string): Static<typeof MapSchema> | string {
  const example = 'write {"title": "Dusk", "colours": ["#1b2a49", "#f2c14e"]}'
  let found: unknown
  try {
    found = JSON.parse(text)
  } catch {
    return `${file} is no JSON; ${example}.`
  }
  try {
    return checkSchema(MapSchema, found, file)
  } catch {
    return `${file} is no colour map; ${example}, with 2 to 256 colours.`
  }
}
