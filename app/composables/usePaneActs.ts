/** The acts on panes as the palette offers them. */
import type { Workbench } from './useWorkbench'

export function usePaneActs({ panes }: Pick<Workbench, 'panes'>) {
  return computed(() => {
    const all = panes.panes.value
    const own = panes.active.value
    const hint = 'pane'
    const nDrawn = all.length
    return [
      { title: 'Split the pane, beside', words: 'panes views window compare new right', hint, run: () => panes.split(own, true) },
      { title: 'Split the pane, below', words: 'panes views window compare new', hint, run: () => panes.split(own, false) },
      { title: 'A pane for each case', words: 'panes views compare side by side runs', hint, run: () => panes.perCase() },
      ...(nDrawn > 1
        ? [
            { title: 'One pane', words: 'single view close all others', hint, run: () => panes.only(own) },
            { title: 'Close the pane', words: 'view remove', hint, run: () => panes.close(own) },
            { title: 'Fill the stage with the pane, or not', words: 'full screen maximise', hint, run: () => panes.toggleFull(own) },
            { title: 'Next pane', words: 'view focus switch', hint, run: () => panes.next(1) },
            ...all.flatMap((pane) => [
              { title: `Go to pane ${pane.number}: ${pane.name}`, words: 'view focus switch', hint, run: () => panes.work(pane.id) },
              ...(pane.id === own
                ? [
                    { title: 'View of the pane: linked or its own', words: 'camera link unlink', hint, run: () => panes.linkView(pane) },
                    { title: 'Moment of the pane: linked or its own', words: 'time link unlink', hint, run: () => panes.linkMoment(pane) },
                  ]
                : [{ title: `Swap with pane ${pane.number}`, words: 'move view', hint, run: () => panes.swap(own, pane.id) }]),
            ]),
          ]
        : []),
    ]
  })
}
