/** The moment meant by `--time` or `--moment`. */
import { UserError } from '../core/errors'
import type { Catalogue } from '../core/case/catalogue'

/** The first when neither is given; the nearest time, named when it differs. */
export function chooseMoment(catalogue: Catalogue, time: string | undefined, moment: string | undefined): number {
  if (moment !== undefined) {
    const index = Number(moment)
    if (!catalogue.moments[index])
      throw new UserError('no-moment', `There is no moment ${moment}; the file has 0 to ${catalogue.moments.length - 1}.`)
    return index
  }
  if (time === undefined) return 0
  const wanted = Number(time)
  if (!Number.isFinite(wanted)) throw new UserError('usage', `--time takes a number, not “${time}”.`)
  const times = catalogue.moments.filter((m) => m.value !== null)
  if (!times.length) throw new UserError('no-times', 'The file has no times; leave --time out.')
  const nearest = times.reduce((a, b) => (Math.abs(b.value! - wanted) < Math.abs(a.value! - wanted) ? b : a))
  if (nearest.value !== wanted) process.stderr.write(`stavik: there is no time ${wanted}; the nearest, ${nearest.value}, is used.\n`)
  return nearest.index
}
