/** The plane of the selected step, which one can look at along its normal. */
import { direction } from '~~/core/mesh/vectors'
import type { Vector } from '~~/core/mesh/vectors'
import { stepKind } from '~~/core/steps'
import type { Workbench } from './useWorkbench'

export function selectedPlane({ current, selected }: Pick<Workbench, 'current' | 'selected'>) {
  return computed(() => {
    const step = current.value?.steps[selected.value ?? '']
    const handle =
      step &&
      stepKind(step.kind)
        .handles?.(step.settings)
        .find((own) => own.handle === 'plane')
    return handle && { name: step.name, normal: direction(step.settings[handle.normal] as Vector) }
  })
}
