import { computed, ref } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { DAY, durationOf, lengthOf, moved, spanOf, textOf, widened, type Span } from './span'

/** Now by the server's clock, kept by the tape. */
export const now = ref(Date.now() * 1000)

/** Whether the control that chooses the focus is open. */
export const picking = ref(false)

/** Scope, focus and reference, held in the address so that a link shows a colleague the same thing. */
export function useWindow() {
  const route = useRoute()
  const router = useRouter()
  const scope = computed(() => String(route.params.server ?? route.params.cluster ?? route.query.scope ?? 'fleet'))
  const focusText = computed(() => String(route.query.focus ?? 'PT1H'))
  const referenceText = computed(() => String(route.query.reference ?? 'usual'))
  const viewText = computed(() => String(route.query.view ?? 'PT6H'))
  const following = computed(() => lengthOf(focusText.value) !== null)
  const focus = computed<Span>(() => spanOf(focusText.value, now.value) ?? spanOf('PT1H', now.value)!)
  const reference = computed<Span | null>(() => spanOf(referenceText.value, now.value))

  const referenceServer = computed(() => (referenceText.value.startsWith('server:') ? referenceText.value.slice(7) : null))
  const referenceTitle = computed(() => referenceServer.value ?? (referenceText.value === 'usual' ? 'typical' : 'reference'))
  const referenceWords = computed(() => referenceServer.value ?? (referenceText.value === 'usual' ? 'a typical day' : 'the reference'))

  const change = (parts: LocationQueryRaw) => router.replace({ query: { ...route.query, ...parts } })
  const setFocus = (span: Span) => change({ focus: textOf(span) })
  const setReference = (span: Span | null) => change({ reference: span ? textOf(span) : undefined })
  const compareWith = (reference: string) => change({ reference })
  const follow = () => change({ focus: durationOf(focus.value.to - focus.value.from), view: undefined })
  const shift = (sign: number) => setFocus(moved(focus.value, (sign * (focus.value.to - focus.value.from)) / 2))
  const widen = (factor: number) => setFocus(widened(focus.value, factor))
  const referenceDaysAgo = (days: number) => {
    const span = focus.value
    return change({ focus: textOf(span), reference: textOf(moved(span, -days * DAY)) })
  }

  const referenceBefore = () => {
    const span = focus.value
    return change({ focus: textOf(span), reference: textOf(moved(span, span.from - span.to)) })
  }

  /** What is kept when another screen opens. */
  const kept = computed(() => {
    const { focus: f, reference: r, view: v } = route.query
    return { ...(f && { focus: f }), ...(r && { reference: r }), ...(v && { view: v }) }
  })
  /** Scope, focus and reference as the API asks for them. */
  const asked = computed(() => ({ scope: scope.value, focus: focusText.value, reference: referenceText.value }))

  return {
    route,
    router,
    scope,
    focus,
    focusText,
    reference,
    referenceText,
    referenceTitle,
    referenceWords,
    viewText,
    following,
    kept,
    change,
    setFocus,
    setReference,
    compareWith,
    follow,
    shift,
    widen,
    referenceDaysAgo,
    referenceBefore,
    asked,
  }
}
