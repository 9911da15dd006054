import { describe, expect, it } from 'vitest'
import { samples } from '../../fuzz/inputs'
import { tryInput } from '../../fuzz/tryInput'

/** A sample of `npm run fuzz`, which tries thousands. */
const EACH = 12
const all = await samples()

describe('spoiled files end in a result or in one sentence', () => {
  it.each(all.map((sample) => [sample.target, sample.name, sample] as const))(
    '%s of %s',
    async (_, __, sample) => {
      const findings = []
      for (let seed = 1; seed <= EACH; seed++) {
        const finding = await tryInput(sample, seed)
        if (finding) findings.push(finding)
      }
      expect(findings).toEqual([])
    },
    300_000,
  )
})
