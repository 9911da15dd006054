/** Asks a running server as its own pages do. */
import { errorFromData } from '../../core/errors'
import { AnswerReader } from '../../core/evaluate/answers'
import type { ReadAnswer } from '../../core/evaluate/answers'
import { plainPlan } from '../../core/evaluate/plan'
import type { Plan, Target } from '../../core/evaluate/plan'
import type { Catalogue } from '../../core/case/catalogue'

/** A plan on one case of the server, whose parts and fields are called as there. */
export async function plainPlanOf(url: string, caseId: string): Promise<Plan> {
  const { catalogue } = (await (await fetch(`${url}/api/cases/${caseId}`)).json()) as { catalogue: Catalogue }
  return plainPlan(caseId, catalogue)
}

/** @throws what the target failed with */
export async function askServer(url: string, plan: Plan, target: Target, client: string | null = null): Promise<ReadAnswer> {
  const body = JSON.stringify({ client, plan, targets: [target] })
  const response = await fetch(`${url}/api/evaluate`, { method: 'POST', headers: { 'content-type': 'application/json' }, body })
  if (!response.ok) throw new Error(await response.text())
  const [found] = new AnswerReader().add(new Uint8Array(await response.arrayBuffer()))
  if (!found) throw new Error('there is no answer')
  if (found.answer.error) throw errorFromData(found.answer.error)
  for (const values of found.answer.values ?? []) if ('error' in values) throw errorFromData(values.error)
  return found
}
