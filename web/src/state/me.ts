import { ref } from 'vue'
import { get, post, session, type Schemas } from '@/api/client'

/** Who is signed in; null until it is known. */
export const me = ref<Schemas['Me'] | null>(null)
const NOBODY: Schemas['Me'] = { signed_in: false, name: '', role: '', guard: '', demo: false, first: false }

export async function ask() {
  me.value = await get<Schemas['Me']>('me').catch(() => NOBODY)
  session.guard = me.value.guard
}
session.ended = () => {
  session.guard = ''
  ask()
}
export async function leave() {
  await post('sign-out')
  await ask()
}
const ROLES = ['viewer', 'engineer', 'administrator']
export const may = (role: string) => ROLES.indexOf(me.value?.role ?? '') >= ROLES.indexOf(role)
