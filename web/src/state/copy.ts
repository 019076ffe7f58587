import { ref } from 'vue'

/** A text for the clipboard; `copied` is true for some seconds after it was copied. */
export function useCopy(text: () => string) {
  const copied = ref(false)
  async function copy() {
    await navigator.clipboard.writeText(text())
    copied.value = true
    setTimeout(() => (copied.value = false), 3000)
  }
  return { copied, copy }
}
