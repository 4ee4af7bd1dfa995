/** What each station puts round the view: a panel beside it, something over it, or a page instead of it. */
import { defineAsyncComponent, type Component } from 'vue'
import RemediesPanel from '@/remedies/RemediesPanel.vue'
import MendView from './mend/MendView.vue'

interface Station {
  panel?: Component
  over?: Component
  page?: Component
}

export const panels: Record<'bind' | 'stress' | 'mend' | 'deliver', Station> = {
  bind: {
    panel: defineAsyncComponent(() => import('./bind/BindPanel.vue')),
    over: defineAsyncComponent(() => import('./bind/BindView.vue')),
  },
  stress: {
    panel: defineAsyncComponent(() => import('./stress/TroublePanel.vue')),
    over: defineAsyncComponent(() => import('./stress/StressView.vue')),
  },
  mend: { panel: RemediesPanel, over: MendView },
  deliver: { page: defineAsyncComponent(() => import('./deliver/DeliverStation.vue')) },
}
