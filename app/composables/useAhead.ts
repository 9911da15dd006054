/** Results asked for before they are wanted, such as those of the next moment while a case is played. */
import type { Packet } from '~~/core/store/packet'
import type { Plan } from '~~/core/study/plan'
import type { ResultMeta } from '~~/server/work/resultMeta'

/** Answers kept at a time; each is used once. */
const KEPT = 40

export function useAhead() {
  const asked = new Map<string, Promise<Packet<ResultMeta>>>()
  const keyOf = (id: string, plan: Plan, haveShape: string | null): string => JSON.stringify([id, plan, haveShape])

  /** @param haveShape  shape that will be shown when the answer is used */
  function ask(id: string, plan: Plan, haveShape: string): void {
    const key = keyOf(id, plan, haveShape)
    if (asked.has(key)) return
    const answer = api.packet<ResultMeta>('/api/evaluate', { plan, wanted: { what: 'result', haveShape }, slot: null })
    asked.set(key, answer)
    // a failure is told when the moment itself is asked for
    answer.catch(() => asked.delete(key))
    if (asked.size > KEPT) asked.delete(asked.keys().next().value!)
  }

  function take(id: string, plan: Plan, haveShape: string | null): Promise<Packet<ResultMeta>> | undefined {
    const key = keyOf(id, plan, haveShape)
    const answer = asked.get(key)
    asked.delete(key)
    return answer
  }

  return { ask, take }
}
