import 'element-plus/dist/index.css'
import 'element-plus/theme-chalk/dark/css-vars.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { element } from './element'
import { off } from './off'
import { router } from './router'
import './theme.css'

createApp(App).use(createPinia()).use(router).use(element).directive('off', off).mount('#app')
