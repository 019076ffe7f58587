import { ref, watch } from 'vue'

export type Theme = 'light' | 'dark'
const system = window.matchMedia('(prefers-color-scheme: dark)')
const kept = localStorage.getItem('hardy-gauge-theme') as Theme | null

/** Paper or night watch: by the system until the switch is used. */
export const theme = ref<Theme>(kept ?? (system.matches ? 'dark' : 'light'))
system.addEventListener('change', () => {
  if (!localStorage.getItem('hardy-gauge-theme')) theme.value = system.matches ? 'dark' : 'light'
})
watch(theme, (value) => document.documentElement.setAttribute('data-bs-theme', value), { immediate: true })

export function switchTheme() {
  theme.value = theme.value === 'light' ? 'dark' : 'light'
  localStorage.setItem('hardy-gauge-theme', theme.value)
}
