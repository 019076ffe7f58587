import { ref } from 'vue'

/** A design on its way from an advice to the design screen. */
export const draftKept = ref<Record<string, unknown> | null>(null)

/** From where the statements and values of that design come. */
export const draftTold = ref<string[]>([])
