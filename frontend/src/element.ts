/** The ordinary controls: those of Element Plus that are used, and no others. */
import {
  ElButton, ElCheckbox, ElCheckboxGroup, ElConfigProvider, ElDialog, ElDrawer, ElDropdown, ElDropdownItem, ElDropdownMenu, ElInput, ElInputNumber, ElOption, ElPopover,
  ElProgress, ElRadioButton, ElRadioGroup, ElSegmented, ElSelect, ElSlider, ElTable, ElTableColumn,
} from 'element-plus'
import type { App } from 'vue'

const USED = [
  ElButton, ElCheckbox, ElCheckboxGroup, ElConfigProvider, ElDialog, ElDrawer, ElDropdown, ElDropdownItem, ElDropdownMenu, ElInput, ElInputNumber, ElOption, ElPopover,
  ElProgress, ElRadioButton, ElRadioGroup, ElSegmented, ElSelect, ElSlider, ElTable, ElTableColumn,
]

// By name: the parts of a control (a radio's group and buttons) install nothing by themselves.
export const element = { install: (app: App) => USED.forEach((component) => app.component(component.name!, component)) }
