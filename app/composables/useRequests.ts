/**
 * All that this tab needs from the server, one request at a time. A changed wish is sent when the visible results of the current request
 * have arrived or have taken too long. While something is dragged this gives a steady stream of results.
 */
import { tryOnScopeDispose } from '@vueuse/core'
import { Cancelled, errorData, errorFromData } from '~~/core/errors'
import type { ErrorData } from '~~/core/errors'
import { AnswerReader } from '~~/core/evaluate/answers'
import type { ReadAnswer } from '~~/core/evaluate/answers'
import { completed } from '~~/core/evaluate/chunks'
import type { HadPicture } from '~~/core/evaluate/chunks'
import { priorities } from '~~/core/evaluate/plan'
import type { Plan, Target } from '~~/core/evaluate/plan'

/** Milliseconds that visible results may take before a newer wish replaces the request. */
const PATIENCE = 150

export interface Wish {
  /** Its subject: a newer wish with the same name replaces it. */
  name: string
  /** Equal as long as the answer is. */
  text: string
  target(): Target
  /** What there is of the picture that is asked for, where the target says so. */
  had?(): HadPicture | undefined
  /** Uses an answer that is known already. @returns whether there is one */
  known?(): boolean
  /** @param isLatest  no newer wish has this name */
  apply(answer: ReadAnswer, isLatest: boolean): void
  fail(error: ErrorData, isLatest: boolean): void
  /** @param share  that is done of what is waited for */
  progress?(share: number): void
}

interface Running {
  controller: AbortController
  wishes: Wish[]
  /** What there was of their pictures when they were asked for. */
  had: (HadPicture | undefined)[]
  /** Indices of the wishes that are not answered yet. */
  open: Set<number>
  started: number
}

export type Send = (body: unknown, signal: AbortSignal, onChunk: (bytes: Uint8Array) => void) => Promise<void>

export function useRequests(send: Send) {
  const client = crypto.randomUUID()
  let plan: Plan | undefined
  let wishes = new Map<string, Wish>()
  const answered = new Map<string, string>()
  let running: Running | undefined
  let timer: ReturnType<typeof setTimeout> | undefined

  /** Replaces all wishes. Answered ones are not requested again. */
  function want(newPlan: Plan, list: readonly Wish[]): void {
    plan = newPlan
    wishes = new Map(list.map((wish) => [wish.name, wish]))
    // a wish that was changed and changed back is asked for again: its result may have been given up meanwhile
    for (const [name, text] of answered) if (wishes.get(name)?.text !== text) answered.delete(name)
    schedule()
  }

  function isLatest({ name, text }: Wish): boolean {
    return wishes.get(name)?.text === text
  }

  function isAnswered(wish: Wish): boolean {
    if (answered.get(wish.name) === wish.text) return true
    if (!wish.known?.()) return false
    answered.set(wish.name, wish.text)
    return true
  }

  function schedule(): void {
    clearTimeout(timer)
    const open = [...wishes.values()].filter((wish) => !isAnswered(wish))
    const asked = running ? [...running.open].map((i) => running!.wishes[i]!) : []
    const isAsked = open.every(({ name, text }) => asked.some((wish) => wish.name === name && wish.text === text))
    if (isAsked && asked.every(isLatest)) return
    if (!open.length) {
      running?.controller.abort()
      running = undefined
      return
    }
    const waits = running && asked.some((wish) => wish.target().priority === priorities.seen)
    const rest = running ? PATIENCE - (performance.now() - running.started) : 0
    if (waits && rest > 0) timer = setTimeout(schedule, rest)
    else void start(open)
  }

  async function start(list: Wish[]): Promise<void> {
    const own: Running = {
      ...{ controller: new AbortController(), wishes: list, had: list.map((wish) => wish.had?.()) },
      ...{ open: new Set(list.keys()), started: performance.now() },
    }
    // the server ends the older request when it receives this one; shared computations go on
    running = own
    const reader = new AnswerReader()
    let failure: unknown
    try {
      await send({ client, plan, targets: list.map((wish) => wish.target()) }, own.controller.signal, (bytes) => {
        for (const answer of reader.add(bytes)) take(own, answer)
      })
    } catch (error) {
      failure = error
    }
    const isCurrent = running === own
    if (isCurrent) running = undefined
    if (!isCurrent || failure instanceof Cancelled) return
    const error = errorData(failure ?? new Error('The server ended its answer early; try again.'))
    for (const i of [...own.open]) settle(own, i, (wish, latest) => wish.fail(error, latest))
    schedule()
  }

  function take(own: Running, read: ReadAnswer): void {
    const { target, error, progress } = read.answer
    if (progress !== undefined) {
      own.wishes[target]?.progress?.(progress)
      return
    }
    if (error?.code === 'cancelled') return
    settle(own, target, (wish, latest) => (error ? wish.fail(error, latest) : wish.apply(completed(read, own.had[target]), latest)))
    if (running === own && timer !== undefined && ![...own.open].some((i) => own.wishes[i]!.target().priority === priorities.seen))
      schedule()
  }

  function settle(own: Running, i: number, tell: (wish: Wish, latest: boolean) => void): void {
    const wish = own.wishes[i]
    if (!wish || !own.open.delete(i)) return
    const latest = isLatest(wish)
    if (latest) answered.set(wish.name, wish.text)
    // withdrawn wishes are not informed
    if (wishes.has(wish.name)) tell(wish, latest)
  }

  /** A single request, independent of the wishes. @throws UserError */
  async function once(now: Plan, target: Target): Promise<ReadAnswer> {
    const reader = new AnswerReader()
    let found: ReadAnswer | undefined
    await send({ client: null, plan: now, targets: [target] }, new AbortController().signal, (bytes) => {
      found ??= reader.add(bytes).find(({ answer }) => answer.progress === undefined)
    })
    if (!found) throw errorFromData({ code: 'server', message: 'The server ended its answer early; try again.' })
    if (found.answer.error) throw errorFromData(found.answer.error)
    return completed(found)
  }

  tryOnScopeDispose(() => {
    clearTimeout(timer)
    running?.controller.abort()
  })

  return { want, once }
}
