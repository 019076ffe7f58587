<script setup lang="ts">
/** What a picture shows, by name; pressing a name hides it. The slot is a mark before the name. */
defineProps<{ names: string[] }>()
const hidden = defineModel<string[]>({ required: true })
</script>

<template>
  <div class="names">
    <label v-for="(name, place) in names" :key="name">
      <input v-model="hidden" type="checkbox" :value="name" class="visually-hidden" />
      <slot :place="place" />
      <span :class="{ off: hidden.includes(name) }">{{ name }}</span>
    </label>
    <span class="faded">press one to hide it</span>
  </div>
</template>

<style scoped>
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  font-size: 13px;
  margin: 2px 0 6px;
}
label {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  cursor: pointer;
}
label:focus-within {
  outline: 2px solid var(--petrol);
}
.off {
  text-decoration: line-through;
  color: var(--faded);
}
</style>
