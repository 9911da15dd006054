/** Routes answer with data, or with one sentence for the user. */
import { createError, defineEventHandler, readBody, getRouterParam } from 'h3'
import type { EventHandler, H3Event } from 'h3'
import type { Static, TSchema } from '@sinclair/typebox'
import { Cancelled, errorData, UserError } from '../../core/errors'
import { checkSchema } from '../../core/study/check'
import { casesUsed } from '../../core/evaluate/casesUsed'
import type { Plan } from '../../core/evaluate/plan'
import type { CurrentCase } from '../evaluate/Evaluations'
import { services } from './services'
import type { Services } from '../Services'

const notFound = new Set(['no-case', 'no-study', 'no-file', 'no-folder', 'no-job'])
/** Superseded requests: no failure, nothing to show. */
const SUPERSEDED = 499

export function route<T>(handle: (event: H3Event, services: Services) => Promise<T>): EventHandler {
  return defineEventHandler(async (event) => {
    try {
      return await handle(event, await services())
    } catch (error) {
      if (error instanceof Cancelled) throw createError({ statusCode: SUPERSEDED, data: errorData(error) })
      if (!(error instanceof UserError)) {
        if ((error as { statusCode?: number }).statusCode) throw error
        process.stderr.write(`stavik: ${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`)
        throw createError({
          statusCode: 500,
          data: { code: 'internal', message: 'Something went wrong on the server; its log says what.' },
        })
      }
      const statusCode = error.code === 'conflict' ? 409 : notFound.has(error.code) ? 404 : 400
      throw createError({ statusCode, message: error.code, data: errorData(error) })
    }
  })
}

/** Largest JSON body; a study with thousands of steps stays far below. */
const MAX_BODY = 8 * 2 ** 20

/** The body, checked. @throws UserError when it does not fit */
export async function bodyOf<S extends TSchema>(event: H3Event, schema: S, what: string): Promise<Static<S>> {
  if (Number(event.node.req.headers['content-length'] ?? 0) > MAX_BODY)
    throw new UserError('too-large', `${what} is larger than a request may be.`)
  const body: unknown = await readBody(event).catch(() => undefined)
  return checkSchema(schema, body, what)
}

const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/

/** The `[id]` of a route. @throws UserError when it is no id */
export function idOf(event: H3Event, what: 'no-case' | 'no-study' | 'no-job'): string {
  const id = getRouterParam(event, 'id') ?? ''
  if (!UUID.test(id)) throw new UserError(what, 'There is nothing under this address; go back to the library.')
  return id
}

/**
 * Those of a plan's cases that are asked for, and that these look at, by their ids in the study; where one cannot be computed on, why.
 *
 * @throws UserError when there is no such case in the plan
 */
export async function casesOf(services: Services, plan: Plan, wanted: readonly string[]): Promise<Map<string, CurrentCase | Error>> {
  const found = new Map<string, CurrentCase | Error>()
  for (const id of casesUsed(plan, wanted)) {
    const uuid = Object.hasOwn(plan.cases, id) ? plan.cases[id]! : undefined
    if (uuid === undefined) found.set(id, new UserError('no-case', 'This case is no longer in the study; choose another.'))
    else found.set(id, await services.current(uuid).catch(userError))
  }
  return found
}

function userError(error: unknown): UserError {
  if (error instanceof UserError) return error
  throw error
}
