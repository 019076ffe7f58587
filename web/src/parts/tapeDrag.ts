import { ref, type Ref } from 'vue'
import type { Span } from '@/state/span'

export type Grip = 'move' | 'from' | 'to' | 'view'
export interface Drag {
  what: 'focus' | 'reference' | 'view'
  grip: Grip
  span: Span
}

const SHORTEST = 60e6

/** Dragging of the tape's windows: the span while it is dragged, handed over when the pointer is let go. */
export function useTapeDrag(perPixel: Ref<number>, done: (drag: Drag) => void) {
  const drag = ref<Drag | null>(null)

  function begin(event: PointerEvent, what: Drag['what'], grip: Grip, span: Span) {
    const startX = event.clientX
    const start = { ...span }
    drag.value = { what, grip, span: start }
    const move = (e: PointerEvent) => {
      const by = (e.clientX - startX) * perPixel.value
      let { from, to } = start
      if (grip === 'move') [from, to] = [from + by, to + by]
      if (grip === 'view') [from, to] = [from - by, to - by]
      if (grip === 'from') from = Math.min(from + by, to - SHORTEST)
      if (grip === 'to') to = Math.max(to + by, from + SHORTEST)
      drag.value = { what, grip, span: { from, to } }
    }
    const up = () => {
      removeEventListener('pointermove', move)
      removeEventListener('pointerup', up)
      const last = drag.value
      drag.value = null
      if (last && (last.span.from !== start.from || last.span.to !== start.to)) done(last)
    }
    addEventListener('pointermove', move)
    addEventListener('pointerup', up)
    event.preventDefault()
  }
  return { drag, begin }
}
