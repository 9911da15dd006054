import { expect, it } from 'vitest'
import { bytesOf, Recent } from '../../../core/formats/openFoam/Recent'

it('keeps the last one and what fits besides; what is made from another is not forgotten for it', async () => {
  const recent = new Recent({ limit: 100 })
  const made: string[] = []
  const get = (key: string, bytes: number, of?: () => Promise<unknown>): Promise<Uint8Array> =>
    recent.get(
      key,
      async () => {
        await of?.()
        made.push(key)
        return new Uint8Array(bytes)
      },
      (value) => value.byteLength,
    )
  const large = (): Promise<Uint8Array> => get('cells', 500, () => get('mesh', 400))
  await large()
  await large()
  expect(made).toEqual(['mesh', 'cells'])
  await get('small', 60)
  await get('smaller', 30)
  await get('small', 60)
  expect(made).toEqual(['mesh', 'cells', 'small', 'smaller'])
  // the large one went
  await large()
  expect(made.slice(4)).toEqual(['mesh', 'cells'])
  await expect(
    recent.get(
      'bad',
      () => Promise.reject(new Error('no')),
      () => 0,
    ),
  ).rejects.toThrow('no')
  expect(bytesOf({ a: new Float64Array(2), list: [{ b: new Uint8Array(3) }], n: 5, none: null })).toBe(19)
})

it('keeps some whatever their size, and drops others', async () => {
  const dropped: unknown[] = []
  const recent = new Recent({ limit: 10, least: 2, drop: (value) => dropped.push(value) })
  for (const key of ['a', 'b', 'a', 'c'])
    await recent.get(
      key,
      async () => key,
      () => 100,
    )
  await Promise.resolve()
  expect(dropped).toEqual(['b'])
})
