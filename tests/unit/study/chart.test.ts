import { describe, expect, it } from 'vitest'
import { chartCautions } from '../../../core/study/chart'
import type { ChartLook } from '../../../core/study/chart'

const curve = (x: (number | null)[], y: (number | null)[]) => ({ series: [{ x, y }] })

describe('what a chart cannot show', () => {
  it.each<[string, ReturnType<typeof curve>, ChartLook, RegExp[]]>([
    ['nothing is wrong', curve([0, 1], [2, 3]), {}, []],
    ['only gaps', curve([0, 1], [null, null]), {}, [/no point with a value/]],
    ['one point', curve([1], [2]), {}, [/one point only/]],
    ['equal abscissae', curve([1, 1, 1], [2, 3, 4]), {}, [/same abscissa/]],
    ['zeros on a logarithmic axis', curve([0, 1, 2], [1, 10, 100]), { x: { isLog: true } }, [/1 of 3 points are not above 0/]],
    ['negative values on one', curve([1, 2], [-1, 10]), { y: { isLog: true } }, [/1 of 2 points/]],
    ['a range beside the values', curve([0, 1], [2, 3]), { y: { range: [10, 20] } }, [/No point lies in the range/]],
    ['a range with some of them', curve([0, 1], [2, 3]), { y: { range: [2.5, 20] } }, []],
  ])('%s', (_, of, look, expected) => {
    const found = chartCautions(of, look)
    expect(found).toHaveLength(expected.length)
    expected.forEach((text, i) => expect(found[i]).toMatch(text))
  })
})
