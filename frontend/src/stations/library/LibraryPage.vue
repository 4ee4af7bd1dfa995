<script setup lang="ts">
/** Library: characters as cards; drop a file to bring one in. */
import { ElMessage, ElMessageBox } from 'element-plus'
import { onMounted, ref } from 'vue'
import { api, bringIn, Problem, type LibraryEntry } from '@/api/client'
import { thumbnail } from './thumbnail'

const characters = ref<LibraryEntry[] | null>(null)
const pictures = ref<Record<string, string>>({})
const failure = ref('')
const progress = ref<number | null>(null)
const over = ref(false)
const picker = ref<HTMLInputElement>()
let cancel: AbortController | null = null

async function load(): Promise<void> {
  try {
    characters.value = await api.library()
    for (const c of characters.value) void thumbnail(c.id).then((url) => (pictures.value[c.id] = url))
  } catch (error) {
    failure.value = error instanceof Problem ? error.message : 'The library could not be read.'
  }
}
async function take(files: FileList | null | undefined): Promise<void> {
  if (!files?.length || progress.value !== null) return
  failure.value = ''
  progress.value = 0
  cancel = new AbortController()
  try {
    const brought = await bringIn([...files], (share) => (progress.value = share), cancel.signal)
    const mended = brought.repairs.length ? ` ${brought.repairs.join(' ')}` : ''
    ElMessage({ message: `“${brought.name}” is in.${mended}`, type: 'success', duration: 8000, showClose: true })
    await load()
  } catch (error) {
    if (!(error instanceof DOMException)) failure.value = error instanceof Problem ? error.message : 'The file could not be brought in.'
  } finally {
    progress.value = null
    if (picker.value) picker.value.value = ''
  }
}
async function remove(c: LibraryEntry): Promise<void> {
  try {
    await ElMessageBox.confirm(`“${c.name}” and its whole history will be gone for good.`, 'Delete this character?', { confirmButtonText: 'Delete', type: 'warning' })
  } catch {
    return
  }
  try {
    await api.remove(c.id)
    await load()
  } catch (error) {
    failure.value = error instanceof Problem ? error.message : 'It could not be deleted.'
  }
}
onMounted(() => {
  document.title = 'Library – Plethos'
  void load()
})
</script>

<template>
  <div class="library" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="(e) => { over = false; void take(e.dataTransfer?.files) }">
    <header>
      <span class="brand"><svg width="20" height="20" viewBox="0 0 20 20" aria-hidden="true"><path d="M3 14c0-6 3-9 7-9s7 3 7 9" fill="none" stroke="#7fd1b9" stroke-width="2.6" stroke-linecap="round" /><circle cx="10" cy="13" r="2.2" fill="#ff8f6b" /></svg>plethos</span>
      <h1>Library</h1>
    </header>
    <main>
      <p v-if="failure" class="failure" role="alert">{{ failure }}</p>
      <div class="cards">
        <article v-for="c in characters ?? []" :key="c.id" class="card">
          <router-link :to="`/characters/${c.id}`">
            <div class="picture"><img v-if="pictures[c.id]" :src="pictures[c.id]" alt="" /></div>
            <div class="text">
              <b>{{ c.name }}</b>
              <span class="muted">{{ c.remedies === 1 ? '1 corrective' : `${c.remedies} correctives` }}<template v-if="c.tied < c.remedies">, {{ c.remedies - c.tied }} untied</template></span>
              <span class="muted">{{ c.demo ? 'demo, ' : '' }}v{{ c.version }}, {{ new Date(c.saved_at).toLocaleString([], { dateStyle: 'medium', timeStyle: 'short' }) }}</span>
            </div>
          </router-link>
          <el-button size="small" text class="delete" :aria-label="`Delete ${c.name}`" @click="remove(c)">Delete</el-button>
        </article>
        <button class="drop" :class="{ over }" :disabled="progress !== null" @click="picker?.click()">
          <template v-if="progress === null">
            <b>Bring in a character</b>
            <span>Drop a .glb here, a .gltf together with its files, or a bare mesh as .obj; or click to choose.</span>
          </template>
          <template v-else>
            <b>{{ progress < 1 ? 'Sending …' : 'Reading …' }}</b>
            <el-progress :percentage="Math.round(progress * 100)" :show-text="false" :indeterminate="progress >= 1" class="bar" />
          </template>
        </button>
        <el-button v-if="progress !== null" class="cancel" @click="cancel?.abort()">Cancel</el-button>
      </div>
      <p v-if="characters?.length === 0" class="muted">The library is empty. Bring in a character to begin.</p>
      <input ref="picker" type="file" multiple accept=".glb,.gltf,.obj,.bin,.png,.jpg,.jpeg" hidden @change="(e) => void take((e.target as HTMLInputElement).files)" />
    </main>
  </div>
</template>

<style scoped>
.library { height: 100%; display: grid; grid-template-rows: 44px 1fr; }
header { display: flex; gap: 18px; align-items: center; padding: 0 14px; background: var(--panel); border-bottom: 1px solid var(--line); }
.brand { display: flex; gap: 8px; align-items: center; font-weight: 700; font-size: 15px; letter-spacing: 0.02em; }
h1 { font-size: 14px; color: var(--muted); }
main { overflow: auto; padding: 28px; }
.cards { display: flex; flex-wrap: wrap; gap: 16px; align-items: stretch; }
.card { position: relative; width: 222px; background: var(--panel); border: 1px solid var(--line); border-radius: 6px; overflow: hidden; }
.card:hover { border-color: #6f6880; }
.card a { color: inherit; text-decoration: none; display: block; }
.picture { height: 260px; background: var(--ground); }
.picture img { width: 100%; height: 100%; object-fit: cover; display: block; }
.text { display: grid; padding: 10px 12px; font-size: 12px; }
.text b { font-size: 14px; font-weight: 600; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.delete { position: absolute; right: 4px; top: 4px; }
.drop { width: 222px; min-height: 330px; border: 1.5px dashed #5b5568; border-radius: 6px; background: none; color: var(--muted); font: inherit; display: grid; align-content: center; gap: 8px; padding: 20px; cursor: pointer; }
.drop b { color: var(--text); font-weight: 600; }
.drop.over, .drop:hover { border-color: var(--accent); color: var(--text); }
.bar { width: 100%; }
.cancel { align-self: center; }
.failure { background: #3a2b2c; border: 1px solid var(--loss); border-radius: 4px; padding: 8px 12px; margin-bottom: 18px; }
</style>
