<script setup lang="ts"></script>

<template>
  <div class="sheet">
    <p class="lead-sentence">There is nothing at this address.</p>
    <RouterLink to="/fleet">Go to the fleet</RouterLink>
  </div>
</template>
