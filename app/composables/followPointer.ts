/** What is dragged follows the pointer until it is released, wherever the pointer goes meanwhile. */
export function followPointer(event: PointerEvent, move: (event: PointerEvent) => void, drop: (event: PointerEvent) => void): void {
  const target = event.currentTarget as HTMLElement
  target.setPointerCapture(event.pointerId)
  const end = (e: PointerEvent): void => {
    target.removeEventListener('pointermove', move)
    target.removeEventListener('pointerup', end)
    target.removeEventListener('pointercancel', end)
    drop(e)
  }
  target.addEventListener('pointermove', move)
  target.addEventListener('pointerup', end)
  target.addEventListener('pointercancel', end)
}
