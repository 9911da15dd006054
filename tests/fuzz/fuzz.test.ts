/** `npm run fuzz`: every sample with FUZZ_EACH spoiled copies (100 unless told otherwise), more than 2,000 in all. */
import { describe, expect, it } from 'vitest'
import { samples } from './inputs'
import { tryInput } from './tryInput'

const each = Number(process.env['FUZZ_EACH'] ?? 100)
const first = Number(process.env['FUZZ_FIRST'] ?? 1)
const all = await samples()

describe(`${all.length * each} spoiled files end in a result or in one sentence`, () => {
  it.each(all.map((sample) => [sample.target, sample.name, sample] as const))(
    '%s of %s',
    async (_, __, sample) => {
      const findings = []
      for (let seed = first; seed < first + each; seed++) {
        const finding = await tryInput(sample, seed)
        if (finding) findings.push(finding)
      }
      expect(findings).toEqual([])
    },
    600_000,
  )
})
