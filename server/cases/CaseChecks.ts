/**
 * Figures of the data check: computed when asked for, and all of them in the background once a case was read, so that
 * units and roles can be guessed. Stored with the blocks, since they are the same until the case is read again.
 */
import { readFile, rename, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { createHash, randomUUID } from 'node:crypto'
import type { FieldFigures } from '../../core/check/fieldFigures'
import { roleByFlow, roleByName } from '../../core/case/roles'
import type { SurfaceFlow } from '../../core/case/roles'
import { guessUnits } from '../../core/case/unitGuesses'
import { UserError } from '../../core/errors'
import { isVelocity } from '../../core/units/quantities'
import { tellingMoment } from '../../core/case/catalogue'
import type { Catalogue } from '../../core/case/catalogue'
import type { CheckResult, CheckSubject } from '../../core/check/checkSubject'
import type { CurrentCase, Evaluations } from '../evaluate/Evaluations'
import type { CaseStore } from './CaseStore'

/** How long the background waits while someone else is computing. */
const PAUSE_MS = 150

export class CaseChecks {
  constructor(
    private readonly store: CaseStore,
    private readonly evaluations: Evaluations,
  ) {}

  private isLooking = false
  private nextAge = 0
  private readonly waiting: { age: number; go(): void }[] = []

  /** @throws UserError when the subject does not exist at the moment */
  async figures(entry: CurrentCase, subject: CheckSubject, moment: number): Promise<CheckResult> {
    const name = `check-${createHash('sha1')
      .update(JSON.stringify([subject, moment]))
      .digest('hex')}.json`
    const path = join(this.store.folder(entry.id, entry.generation), name)
    const kept = await readFile(path, 'utf8').catch(() => undefined)
    if (kept !== undefined) return JSON.parse(kept) as CheckResult
    const figures = (await this.evaluations.check(entry, subject, moment)) as CheckResult
    // two may finish the same at once: each writes a file of its own; figures that cannot be kept are made again
    const own = `${path}.${randomUUID()}.part`
    await writeFile(own, JSON.stringify(figures))
      .then(() => rename(own, path))
      .catch(() => undefined)
    return figures
  }

  /**
   * Looks at everything at the moment that says most, one thing at a time over all cases, the latest case first, and only while
   * nobody waits for something else. @returns what to guess of units and roles @throws when the case goes
   */
  async lookAtAll(entry: CurrentCase): Promise<(catalogue: Catalogue) => Catalogue> {
    const { catalogue } = entry
    const parts = [...catalogue.parts].sort((a, b) => b.dimension - a.dimension)
    const ranges = new Map<string, FieldFigures>()
    const flows = new Map<string, SurfaceFlow>()
    const age = this.nextAge++
    const moment = tellingMoment(catalogue)
    const look = async <T extends CheckResult>(subject: CheckSubject): Promise<T | undefined> => {
      await this.turn(age)
      try {
        return (await this.figures(entry, subject, moment)) as T
      } catch (error) {
        if (error instanceof UserError && error.code !== 'no-case') return undefined
        throw error
      } finally {
        // a little later: the same case may ask again first
        setImmediate(() => this.passOn())
      }
    }
    for (const { name } of parts) await look({ look: 'part', part: name })
    for (const { name, dimension } of parts) {
      for (const field of catalogue.fields.filter((f) => f.parts.includes(name) && f.moments.includes(moment))) {
        const figures = await look<FieldFigures>({ look: 'field', part: name, field: field.name })
        if (figures) ranges.set(field.name, widen(ranges.get(field.name), figures))
        if (dimension === 2 && isVelocity(field)) {
          const flow = await look<SurfaceFlow>({ look: 'flow', part: name, field: field.name })
          if (flow) flows.set(name, flow)
        }
      }
    }
    const velocity = catalogue.fields.find(isVelocity)
    const fastest = (velocity && ranges.get(velocity.name)?.max) ?? 0
    return (current) =>
      withGuesses(
        current,
        (field) => ranges.get(field),
        (part) => flowRole(part, flows, fastest),
      )
  }

  private passOn(): void {
    const next = this.waiting.sort((a, b) => b.age - a.age).shift()
    if (next) next.go()
    else this.isLooking = false
  }

  /** Waits until this case may look at its next thing. */
  private async turn(age: number): Promise<void> {
    if (this.isLooking) await new Promise<void>((go) => this.waiting.push({ age, go }))
    else this.isLooking = true
    while (this.evaluations.isBusy) await new Promise((resolve) => setTimeout(resolve, PAUSE_MS))
  }
}

function flowRole(part: string, flows: ReadonlyMap<string, SurfaceFlow>, fastest: number): ReturnType<typeof roleByFlow> {
  const flow = flows.get(part)
  return flow && roleByFlow(flow, fastest)
}

function widen(known: FieldFigures | undefined, next: FieldFigures): FieldFigures {
  if (!known || known.min === null || next.min === null) return known?.min == null ? next : known
  return { ...next, min: Math.min(known.min, next.min), max: Math.max(known.max!, next.max!) }
}

/** What the user has set stays; names say more of a role than what flows. */
function withGuesses(
  catalogue: Catalogue,
  ranges: (field: string) => FieldFigures | undefined,
  byFlow: (part: string) => ReturnType<typeof roleByFlow>,
): Catalogue {
  const units = guessUnits(catalogue, ranges)
  return {
    ...catalogue,
    fields: catalogue.fields.map((field) =>
      units[field.name] === undefined || (field.unit !== null && field.unitFrom !== 'guess')
        ? field
        : { ...field, unit: units[field.name]!, unitFrom: 'guess' as const },
    ),
    parts: catalogue.parts.map((part) => {
      if (part.dimension !== 2 || (part.role && part.role.from !== 'guess')) return part
      const role = roleByName(part.name) ?? byFlow(part.name)
      return role ? { ...part, role: { is: role, from: 'guess' as const } } : part
    }),
  }
}
