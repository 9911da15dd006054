/** The one set of services of this server. */
import type { Services } from '../Services'

let current: Promise<Services> | undefined

export function setServices(starting: Promise<Services>): void {
  current = starting
}

export function services(): Promise<Services> {
  if (!current) throw new Error('The server has not been started.')
  return current
}
