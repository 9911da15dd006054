/**
 * Edits of a document as patches, in the form immer makes them: add, remove or replace at a path of keys.
 */
import { Type } from '@sinclair/typebox'
import type { Static } from '@sinclair/typebox'
import { UserError } from '../errors'

export const PatchSchema = Type.Object(
  {
    op: Type.Union([Type.Literal('add'), Type.Literal('remove'), Type.Literal('replace')]),
    path: Type.Array(Type.Union([Type.String({ maxLength: 200 }), Type.Integer({ minimum: 0 })]), { minItems: 1, maxItems: 20 }),
    value: Type.Optional(Type.Unknown()),
  },
  { additionalProperties: false },
)
export type Patch = Static<typeof PatchSchema>

type Json = { [key: string]: unknown } | unknown[]

/** A copy of the document with the patches applied. @throws UserError when a path does not exist */
export function applyPatches<T extends object>(document: T, patches: readonly Patch[]): T {
  const copy = structuredClone(document)
  for (const patch of patches) applyPatch(copy as Json, patch)
  return copy
}

function applyPatch(document: Json, { op, path, value }: Patch): void {
  let at = document
  for (const key of path.slice(0, -1)) at = child(at, key, path) as Json
  const last = path[path.length - 1]!
  if (!isPlainKey(last) || typeof at !== 'object' || at === null) throw missing(path)
  if (Array.isArray(at)) applyToList(at, op, last, value)
  else if (op === 'remove') delete at[last]
  else at[last] = structuredClone(value)
}

function applyToList(list: unknown[], op: Patch['op'], key: string | number, value: unknown): void {
  if (key === 'length') list.length = Number(value)
  else if (op === 'add') list.splice(Number(key), 0, structuredClone(value))
  else if (op === 'remove') list.splice(Number(key), 1)
  else list[Number(key)] = structuredClone(value)
}

function child(at: Json, key: string | number, path: Patch['path']): unknown {
  const next = isPlainKey(key) && Object.hasOwn(at, key) ? (at as Record<string | number, unknown>)[key] : undefined
  if (typeof next !== 'object' || next === null) throw missing(path)
  return next
}

/** Keys that would reach into the prototype are no part of any document. */
function isPlainKey(key: string | number): boolean {
  return key !== '__proto__' && key !== 'constructor' && key !== 'prototype'
}

function missing(path: Patch['path']): UserError {
  return new UserError('no-place', `The place “${path.join(' › ')}” is no longer in the study; reload to see what changed.`)
}

/** Whether two edits touch the same place: one path begins with the other. */
export function overlap(a: readonly Patch[], b: readonly Patch[]): boolean {
  return a.some((p) => b.some((q) => startsWith(p.path, q.path) || startsWith(q.path, p.path)))
}

function startsWith(path: Patch['path'], start: Patch['path']): boolean {
  return start.length <= path.length && start.every((key, i) => key === path[i])
}
