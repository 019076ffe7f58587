import { computed, ref } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { query } from '@/api/client'
import { DAY, durationOf, lengthOf, moved, spanOf, textOf, widened, type Span } from './span'

/** Now by the server's clock, kept by the tape. */
export const now = ref(Date.now() * 1000)

/** Scope, focus and reference, held in the address so that a link shows a colleague the same thing. */
export function useWindow() {
  const route = useRoute()
  const router = useRouter()
  const scope = computed(() => String(route.params.server ?? route.query.scope ?? 'fleet'))
  const focusText = computed(() => String(route.query.focus ?? 'PT1H'))
  const referenceText = computed(() => String(route.query.reference ?? 'usual'))
  const viewText = computed(() => String(route.query.view ?? 'PT6H'))
  const following = computed(() => lengthOf(focusText.value) !== null)
  const focus = computed<Span>(() => spanOf(focusText.value, now.value) ?? spanOf('PT1H', now.value)!)
  const reference = computed<Span | null>(() => spanOf(referenceText.value, now.value))

  const change = (parts: LocationQueryRaw) => router.replace({ query: { ...route.query, ...parts } })
  const setFocus = (span: Span) => change({ focus: textOf(span) })
  const setReference = (span: Span | null) => change({ reference: span ? textOf(span) : undefined })
  const follow = () => change({ focus: durationOf(focus.value.to - focus.value.from), view: undefined })
  const shift = (sign: number) => setFocus(moved(focus.value, (sign * (focus.value.to - focus.value.from)) / 2))
  const widen = (factor: number) => setFocus(widened(focus.value, factor))
  const referenceDaysAgo = (days: number) => {
    const span = focus.value
    return change({ focus: textOf(span), reference: textOf(moved(span, -days * DAY)) })
  }

  /** What is kept when another screen opens. */
  const kept = computed(() => {
    const { focus: f, reference: r, view: v } = route.query
    return { ...(f && { focus: f }), ...(r && { reference: r }), ...(v && { view: v }) }
  })
  const api = (more: Record<string, string | number | string[] | undefined> = {}) =>
    query({ scope: scope.value, focus: focusText.value, reference: referenceText.value, ...more })

  return {
    route, router, scope, focus, focusText, reference, referenceText, viewText, following, kept,
    change, setFocus, setReference, follow, shift, widen, referenceDaysAgo, api,
  }
}
