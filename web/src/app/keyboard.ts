import { onMounted, onUnmounted } from 'vue'
import { router, SCREENS } from './routes'
import { switchTheme } from '@/state/theme'
import { picking, useWindow } from '@/state/window'

export const KEYS: [string, string][] = [
  ['/', 'find anything'],
  ...SCREENS.map((one): [string, string] => [one.press, one.words]),
  [', .', 'move the focus back or on by half its length'],
  ['- +', 'widen or narrow the focus'],
  ['f', 'choose the focus'],
  ['r', 'make the focus the reference'],
  ['u', 'compare with a typical day again'],
  ['l', 'follow now'],
  ['t', 'paper or night watch'],
  ['?', 'these keys'],
]

const KEPT = 'hardy-gauge-server'

/** The server of a scope, or the one looked at last. */
export function lastServer(scope: string): string {
  if (scope !== 'fleet') localStorage.setItem(KEPT, scope)
  return scope !== 'fleet' ? scope : (localStorage.getItem(KEPT) ?? 'first')
}

export function useKeyboard(open: { find: () => void; help: () => void }) {
  const window_ = useWindow()

  async function press(event: KeyboardEvent) {
    const target = event.target as HTMLElement
    if (event.ctrlKey || event.metaKey || event.altKey || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) return
    if (document.querySelector('.modal.show')) return
    const screen = SCREENS.find((one) => one.press === event.key)
    const actions: Record<string, () => unknown> = {
      '/': open.find,
      '?': open.help,
      ',': () => window_.shift(-1),
      '.': () => window_.shift(1),
      '-': () => window_.widen(2),
      '+': () => window_.widen(0.5),
      r: () => window_.setReference(window_.focus.value),
      u: () => window_.setReference(null),
      l: () => window_.follow(),
      f: () => (picking.value = true),
      t: switchTheme,
    }
    const action = actions[event.key]
    if (!screen && !action) return
    event.preventDefault()
    if (screen) {
      const scope = window_.scope.value
      const query = { ...window_.kept.value, ...(scope !== 'fleet' && screen.name !== 'fleet' && screen.name !== 'server' && { scope }) }
      await router.push(screen.name === 'server' ? { name: 'server', params: { server: lastServer(scope) }, query } : { name: screen.name, query })
    } else action!()
  }
  onMounted(() => document.addEventListener('keydown', press))
  onUnmounted(() => document.removeEventListener('keydown', press))
}
