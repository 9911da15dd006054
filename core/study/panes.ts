/**
 * Panes of the stage: what each shows, and how they share the room. A study without panes has one, which shows whatever case is chosen.
 *
 * The room is divided by splits within splits: `across` puts pieces beside one another, else they stand above one another.
 */
import { Type } from '@sinclair/typebox'
import type { Static, TSchema } from '@sinclair/typebox'

const closed = { additionalProperties: false }
const Id = Type.String({ pattern: '^[a-z][a-z0-9-]{0,60}$' })

export const MOST_PANES = 9
/** Splits within splits. */
const DEEPEST = 4

export const PaneSchema = Type.Object(
  {
    /** Its own; that of its case when absent. */
    name: Type.Optional(Type.String({ minLength: 1, maxLength: 200 })),
    rank: Type.Number(),
    case: Id,
    /** A moment of its own; that of the others, matched, when absent. */
    moment: Type.Optional(Type.Integer({ minimum: 0 })),
    /** It is looked at from a place of its own. */
    hasOwnView: Type.Optional(Type.Boolean()),
    /** Its ranges are of what it shows alone: equal colours may mean other values than in other panes. */
    hasOwnRanges: Type.Optional(Type.Boolean()),
    /** Steps that are shown, but not here. */
    hides: Type.Optional(Type.Array(Id, { maxItems: 1000 })),
    /** Right of a line, at a share of the width, another case is seen. */
    swipe: Type.Optional(Type.Object({ case: Id, at: Type.Number({ minimum: 0, maximum: 1 }) }, closed)),
  },
  closed,
)

export type Pane = Static<typeof PaneSchema>
export type Split = { pane: string } | { across: boolean; shares: number[]; of: Split[] }

const Leaf = Type.Object({ pane: Id }, closed)

export const SplitSchema = Array.from({ length: DEEPEST }).reduce<TSchema>(
  (inner) =>
    Type.Union([
      Leaf,
      Type.Object(
        {
          across: Type.Boolean(),
          shares: Type.Array(Type.Number({ exclusiveMinimum: 0 }), { minItems: 2, maxItems: MOST_PANES }),
          of: Type.Array(inner, { minItems: 2, maxItems: MOST_PANES }),
        },
        closed,
      ),
    ]),
  Leaf,
)

/** What a study has of panes. */
export interface WithPanes {
  panes?: Record<string, Pane>
  split?: unknown
}

/** Panes by their numbers, from 1. */
export function numberedPanes({ panes = {} }: WithPanes): { id: string; number: number; pane: Pane }[] {
  return Object.entries(panes)
    .sort(([, a], [, b]) => a.rank - b.rank)
    .map(([id, pane], i) => ({ id, number: i + 1, pane }))
}

/** How the room is divided, whatever of it is missing or left over; undefined without panes. */
export function splitOf(study: WithPanes): Split | undefined {
  const left = new Set(Object.keys(study.panes ?? {}))
  const known = study.split === undefined ? undefined : tidied(study.split as Split, left)
  const parts: Split[] = [...(known ? [known] : []), ...[...left].map((pane) => ({ pane }))]
  return parts.length < 2 ? parts[0] : { across: true, shares: parts.map(() => 1), of: parts }
}

/** Without panes that are gone, and without splits of one piece. Takes panes out of `left`. */
function tidied(split: Split, left: Set<string>): Split | undefined {
  if ('pane' in split) return left.delete(split.pane) ? split : undefined
  const kept = split.of.flatMap((piece, i) => {
    const own = tidied(piece, left)
    return own ? [{ own, share: split.shares[i] ?? 1 }] : []
  })
  if (kept.length < 2) return kept[0]?.own
  return { across: split.across, shares: kept.map(({ share }) => share), of: kept.map(({ own }) => own) }
}

export interface Rect {
  x: number
  y: number
  width: number
  height: number
}

/** A line between two pieces of a split. */
export interface Divider {
  /** Places in the splits that lead to its own. */
  path: number[]
  /** It is after this piece. */
  after: number
  isAcross: boolean
  rect: Rect
  /** Of the two pieces together. */
  room: number
}

/** Where everything is, in shares of the room from the top left. */
export function layOut(split: Split, room: Rect = { x: 0, y: 0, width: 1, height: 1 }): { panes: Map<string, Rect>; dividers: Divider[] } {
  const panes = new Map<string, Rect>()
  const dividers: Divider[] = []
  const place = (piece: Split, at: Rect, path: number[]): void => {
    if ('pane' in piece) return void panes.set(piece.pane, at)
    const total = piece.shares.reduce((sum, share) => sum + share, 0)
    let before = 0
    piece.of.forEach((own, i) => {
      const share = piece.shares[i]! / total
      const rect = piece.across
        ? { ...at, x: at.x + before * at.width, width: share * at.width }
        : { ...at, y: at.y + before * at.height, height: share * at.height }
      place(own, rect, [...path, i])
      before += share
      if (i + 1 === piece.of.length) return
      const end = piece.across ? { ...at, x: at.x + before * at.width, width: 0 } : { ...at, y: at.y + before * at.height, height: 0 }
      const both = (piece.shares[i]! + piece.shares[i + 1]!) / total
      dividers.push({ path, after: i, isAcross: piece.across, rect: end, room: both * (piece.across ? at.width : at.height) })
    })
  }
  place(split, room, [])
  return { panes, dividers }
}

/** Least of two neighbours, as a share of both. */
const LEAST = 0.1

/** Moves a divider by a share of the whole room. Changes a draft. */
export function moveDivider(study: WithPanes, { path, after, room }: Divider, by: number): void {
  const split = splitOf(study)!
  let at = split
  for (const i of path) at = (at as Extract<Split, { of: Split[] }>).of[i]!
  const { shares } = at as Extract<Split, { of: Split[] }>
  const both = shares[after]! + shares[after + 1]!
  const first = Math.min(1 - LEAST, Math.max(LEAST, shares[after]! / both + by / room))
  shares[after] = first * both
  shares[after + 1] = (1 - first) * both
  study.split = split
}

/** The first pane of a study that has none yet. Changes a draft. @returns its id */
export function firstPane(study: WithPanes, caseId: string): string {
  study.panes = { 'pane-1': { rank: 1, case: caseId } }
  study.split = { pane: 'pane-1' }
  return 'pane-1'
}

/** Puts a copy of a pane to its right, or below it. Changes a draft. @returns the id of the copy; undefined when there are too many */
export function splitPane(study: WithPanes, id: string, across: boolean, change: Partial<Pane> = {}): string | undefined {
  const { panes } = study
  const own = panes?.[id]
  if (!own || Object.keys(panes!).length >= MOST_PANES) return undefined
  const made = freshPaneId(panes!)
  const split = splitWith(splitOf(study)!, id, made, across)
  if (depthOf(split) > DEEPEST) return undefined
  const after = numberedPanes(study).find(({ pane }) => pane.rank > own.rank)?.pane.rank
  panes![made] = {
    ...own,
    rank: after === undefined ? own.rank + 1 : (own.rank + after) / 2,
    ...change,
  }
  delete panes![made].name
  study.split = split
  return made
}

function freshPaneId(panes: Record<string, Pane>): string {
  for (let n = 1; ; n++) if (!(`pane-${n}` in panes)) return `pane-${n}`
}

function splitWith(split: Split, id: string, made: string, across: boolean): Split {
  if ('pane' in split) return split.pane === id ? { across, shares: [1, 1], of: [split, { pane: made }] } : split
  const at = split.of.findIndex((piece) => 'pane' in piece && piece.pane === id)
  if (at < 0 || split.across !== across) return { ...split, of: split.of.map((piece) => splitWith(piece, id, made, across)) }
  const half = split.shares[at]! / 2
  return {
    across,
    shares: [...split.shares.slice(0, at), half, half, ...split.shares.slice(at + 1)],
    of: [...split.of.slice(0, at + 1), { pane: made }, ...split.of.slice(at + 1)],
  }
}

function depthOf(split: Split): number {
  return 'pane' in split ? 0 : 1 + Math.max(...split.of.map(depthOf))
}

/** One pane for each case, in rows. Changes a draft. */
export function panePerCase(study: WithPanes, cases: readonly string[]): void {
  const shown = cases.slice(0, MOST_PANES)
  study.panes = Object.fromEntries(shown.map((id, i) => [`pane-${i + 1}`, { rank: i + 1, case: id }]))
  const columns = Math.ceil(Math.sqrt(shown.length))
  const rows = Array.from({ length: Math.ceil(shown.length / columns) }, (_, row) =>
    shown.slice(row * columns, (row + 1) * columns).map((_case, i): Split => ({ pane: `pane-${row * columns + i + 1}` })),
  )
  const joined = (pieces: Split[], across: boolean): Split =>
    pieces.length === 1 ? pieces[0]! : { across, shares: pieces.map(() => 1), of: pieces }
  study.split = joined(
    rows.map((row) => joined(row, true)),
    false,
  )
}

/** Takes a pane away; one that is left alone is none. Changes a draft. @returns the case of that one */
export function closePane(study: WithPanes, id: string): string | undefined {
  delete study.panes?.[id]
  const left = Object.values(study.panes ?? {})
  if (left.length > 1) {
    study.split = splitOf(study)
    return undefined
  }
  delete study.panes
  delete study.split
  return left[0]?.case
}

/** Two panes change places. Changes a draft. */
export function swapPanes(study: WithPanes, a: string, b: string): void {
  const swapped = (split: Split): Split => {
    if ('pane' in split) return { pane: split.pane === a ? b : split.pane === b ? a : split.pane }
    return { ...split, of: split.of.map(swapped) }
  }
  study.split = swapped(splitOf(study)!)
  const [own, other] = [study.panes![a]!, study.panes![b]!]
  ;[own.rank, other.rank] = [other.rank, own.rank]
}

/** Panes in which a step is seen that is shown at all. */
export function hidesStep({ hides }: Pane, step: string): boolean {
  return hides?.includes(step) ?? false
}

type WithSteps = WithPanes & { steps: Record<string, { isShown: boolean }> }

/** Whether a step is shown in a pane; of a study without panes, whether it is shown. */
export function isShownIn({ panes, steps }: WithSteps, pane: string, step: string): boolean {
  const own = panes?.[pane]
  return steps[step]!.isShown && !(own && hidesStep(own, step))
}

/** Shows a step in some panes and in no other ones. Changes a draft. */
export function showOnlyIn(study: WithSteps, step: string, shown: ReadonlySet<string>): void {
  study.steps[step]!.isShown = shown.size > 0
  for (const [id, pane] of Object.entries(study.panes ?? {})) {
    const others = pane.hides?.filter((other) => other !== step && other in study.steps) ?? []
    const hides = shown.size > 0 && !shown.has(id) ? [...others, step] : others
    if (hides.length) pane.hides = hides
    else delete pane.hides
  }
}

/** Shows a step in a pane, or hides it there. Changes a draft. */
export function showIn(study: WithSteps, pane: string, step: string, is: boolean): void {
  const shown = new Set(Object.keys(study.panes ?? {}).filter((id) => (id === pane ? is : isShownIn(study, id, step))))
  showOnlyIn(study, step, shown)
}

/** Panes of a case that is taken out show another one. Changes a draft. */
export function leaveCase(study: WithPanes, gone: string, other: string | undefined): void {
  for (const pane of Object.values(study.panes ?? {})) {
    if (pane.swipe?.case === gone) delete pane.swipe
    if (pane.case === gone && other !== undefined) pane.case = other
  }
}
