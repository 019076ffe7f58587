import { onUnmounted, ref, watch, type Ref } from 'vue'

/** The width of an element, in pixels, as it changes; it may come and go. */
export function useWidth(element: Ref<HTMLElement | undefined>, first = 1100) {
  const width = ref(first)
  const observer = new ResizeObserver(([entry]) => (width.value = entry.contentRect.width))
  watch(
    element,
    (now, before) => {
      if (before) observer.unobserve(before)
      if (now) observer.observe(now)
    },
    { flush: 'post' },
  )
  onUnmounted(() => observer.disconnect())
  return width
}
