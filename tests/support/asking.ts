/** Asks evaluations as a route does, and takes the stream of answers apart as a browser does. */
import { errorFromData } from '../../core/errors'
import { AnswerReader } from '../../core/evaluate/answers'
import type { ReadAnswer } from '../../core/evaluate/answers'
import { plainPlan } from '../../core/evaluate/plan'
import type { Plan, Target } from '../../core/evaluate/plan'
import type { CurrentCase, Evaluations } from '../../server/evaluate/Evaluations'

export interface Asking {
  client?: string | null
  signal?: AbortSignal
}

/** Answers in the order of the targets; undefined for what was not answered. */
export async function askAll(
  evaluations: Evaluations,
  entry: CurrentCase,
  plan: Plan,
  targets: Target[],
  { client = null, signal }: Asking = {},
): Promise<(ReadAnswer | undefined)[]> {
  const reader = new AnswerReader()
  const found: (ReadAnswer | undefined)[] = targets.map(() => undefined)
  const write = async (bytes: Uint8Array): Promise<void> => {
    // what is sent is a view on shared memory that is used again
    for (const answer of reader.add(bytes.slice())) found[answer.answer.target] = answer
  }
  const cases = new Map(Object.keys(plan.cases).map((id) => [id, entry]))
  await evaluations.answer({ plan, targets, cases }, client, signal ?? new AbortController().signal, { write })
  return found
}

/** The answer to one target. @throws what it failed with */
export async function ask(evaluations: Evaluations, entry: CurrentCase, plan: Plan, target: Target, asking?: Asking): Promise<ReadAnswer> {
  const [answer] = await askAll(evaluations, entry, plan, [target], asking)
  if (!answer) throw new Error('there is no answer')
  if (answer.answer.error) throw errorFromData(answer.answer.error)
  for (const values of answer.answer.values ?? []) if ('error' in values) throw errorFromData(values.error)
  return answer
}

/** Parts and fields called as in the case, with some steps and formulas. */
export function planOfCase(
  entry: Pick<CurrentCase, 'id' | 'catalogue'>,
  steps: Plan['steps'],
  formulas: Record<string, string> = {},
): Plan {
  const named = Object.fromEntries(Object.entries(formulas).map(([name, text]) => [name, { name, text }]))
  return { ...plainPlan(entry.id, entry.catalogue), steps, formulas: named }
}

export const frame = (moment = 0) => ({ case: 'case', moment })

export function picture(step: string, variables: string[] = [], have?: string, moment = 0): Target {
  return { want: 'picture', step, frame: frame(moment), variables, ...(have !== undefined && { have }), priority: 0 }
}

export function outcome(step: string, moment = 0): Target {
  return { want: 'outcome', step, frame: frame(moment), priority: 1 }
}
