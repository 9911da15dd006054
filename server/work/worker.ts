/** Worker of the compute pool: evaluates one plan. Blocks are lent by the main thread. */
import { errorData } from '../../core/errors'
import { Evaluator } from '../../core/study/Evaluator'
import { checkSubject } from './checkTasks'
import { LentCase } from './LentCase'
import type { EvaluateTask, TaskResult } from './messages'
import { stepFile } from './stepFile'
import { encodeResult } from './resultPacket'
import { probe } from './probe'
import { variableRange } from './variableRange'

export default function evaluate(task: EvaluateTask): TaskResult {
  const lent = new LentCase(task)
  try {
    const evaluator = new Evaluator(lent, task.plan, lent)
    const { wanted, plan } = task
    switch (wanted.what) {
      case 'result':
        return { packet: encodeResult(evaluator, wanted.haveShape) }
      case 'reading':
        return { json: evaluator.reading(plan.target) }
      case 'curve': {
        const curve = evaluator.curve(plan.target)
        // not-a-number is no JSON: gaps travel as null
        const list = (a: Float64Array): (number | null)[] => Array.from(a, (x) => (Number.isFinite(x) ? x : null))
        return { json: { ...curve, series: curve.series.map((s) => ({ ...s, x: list(s.x), y: list(s.y) })) } }
      }
      case 'range':
        return { json: variableRange(evaluator, lent) }
      case 'probe':
        return { json: probe(evaluator, wanted.at, wanted.parts) }
      case 'file':
        return { packet: stepFile(evaluator, wanted) }
      case 'check':
        return { json: checkSubject(evaluator, wanted.subject, () => lent.check()) }
    }
  } catch (error) {
    return { error: errorData(error) }
  } finally {
    task.port.close()
  }
}
