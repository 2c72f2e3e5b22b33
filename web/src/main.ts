import '@fontsource-variable/archivo'
import '@fontsource-variable/jetbrains-mono'
import 'element-plus/theme-chalk/base.css'
import 'element-plus/theme-chalk/el-button.css'
import 'element-plus/theme-chalk/el-dialog.css'
import 'element-plus/theme-chalk/el-overlay.css'
import 'element-plus/theme-chalk/el-input.css'
import 'element-plus/theme-chalk/el-form.css'
import 'element-plus/theme-chalk/el-form-item.css'
import 'element-plus/theme-chalk/el-popover.css'
import 'element-plus/theme-chalk/el-popper.css'
import 'element-plus/theme-chalk/el-table.css'
import 'element-plus/theme-chalk/el-table-column.css'
import 'element-plus/theme-chalk/el-message.css'
import './styles/tokens.css'
import './styles/base.css'
import { VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './router.js'

/** What was read is shown again at once, and read anew; a server that is away is asked again at the next turn. */
const queryClientConfig = { defaultOptions: { queries: { retry: false } } }

// eslint-disable-next-line @typescript-eslint/no-unsafe-argument -- the linter cannot follow .vue files; vue-tsc does
createApp(App).use(createPinia()).use(router).use(VueQueryPlugin, { queryClientConfig }).mount('#app')
