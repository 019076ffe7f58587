import { beforeEach, describe, expect, it, vi } from 'vitest'
import { ref } from 'vue'
import { useTapeDrag, type Drag, type Grip } from './tapeDrag'

const MINUTE = 60e6
const listeners: Record<string, (event: { clientX: number }) => void> = {}

/** Press at 100, move by ``pixels``, let go; what was handed over. */
function dragged(grip: Grip, pixels: number, what: Drag['what'] = 'focus'): Drag | null {
  let handed: Drag | null = null
  const { begin } = useTapeDrag(ref(MINUTE), (drag) => (handed = drag))
  begin({ clientX: 100, preventDefault: () => undefined } as unknown as PointerEvent, what, grip, { from: 0, to: 10 * MINUTE })
  listeners.pointermove({ clientX: 100 + pixels })
  listeners.pointerup({ clientX: 100 + pixels })
  return handed
}

describe('dragging on the tape', () => {
  beforeEach(() => {
    vi.stubGlobal('addEventListener', (name: string, does: () => void) => (listeners[name] = does))
    vi.stubGlobal('removeEventListener', () => undefined)
  })

  it('moves a window whole', () => expect(dragged('move', 3)?.span).toEqual({ from: 3 * MINUTE, to: 13 * MINUTE }))
  it('moves the paper the other way', () => expect(dragged('view', 3, 'view')?.span).toEqual({ from: -3 * MINUTE, to: 7 * MINUTE }))
  it.each([
    ['from', 4, { from: 4 * MINUTE, to: 10 * MINUTE }],
    ['from', 40, { from: 9 * MINUTE, to: 10 * MINUTE }],
    ['to', -4, { from: 0, to: 6 * MINUTE }],
    ['to', -40, { from: 0, to: MINUTE }],
  ] as const)('edge %s by %d never turns the window round', (grip, pixels, span) => expect(dragged(grip, pixels)?.span).toEqual(span))
  it('hands nothing over when nothing moved', () => expect(dragged('move', 0)).toBeNull())
})
