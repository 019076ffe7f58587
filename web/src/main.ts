import '@fontsource-variable/archivo'
import '@fontsource/b612-mono/400.css'
import '@fontsource/b612-mono/700.css'
import '@/styles/main.scss'
import 'bootstrap-vue-next/dist/bootstrap-vue-next.css'
import '@/state/theme'
import { createBootstrap } from 'bootstrap-vue-next'
import { createApp } from 'vue'
import App from '@/app/App.vue'
import { router } from '@/app/routes'

createApp(App).use(router).use(createBootstrap()).mount('#app')
