<script setup lang="ts">
/** Library: characters as cards; drop a file to bring one in. */
import { ElMessage, ElMessageBox } from 'element-plus'
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, bringIn, Problem, type LibraryEntry } from '@/api/client'

const router = useRouter()
const characters = ref<LibraryEntry[] | null>(null)
/** Characters that were deleted and can be brought back. */
const removed = ref<LibraryEntry[]>([])
const pictures = ref<Record<string, string>>({})
const failure = ref('')
const progress = ref<number | null>(null)
const over = ref(false)
const picker = ref<HTMLInputElement>()
let cancel: AbortController | null = null

/** The picture that is kept; where there is none yet it is drawn, which takes the whole view's program. */
async function picture(c: LibraryEntry): Promise<string> {
  if (c.picture) return `/api/characters/${c.id}/picture?${c.picture}`
  return (await import('./thumbnail')).thumbnail(c.id)
}

async function load(): Promise<void> {
  try {
    ;[characters.value, removed.value] = await Promise.all([api.library(), api.library(true)])
    for (const c of characters.value) void picture(c).then((url) => (pictures.value[c.id] = url))
  } catch (error) {
    failure.value = error instanceof Problem ? error.message : 'The library could not be read.'
  }
}
/** Files that hold several scenes, and what these are called. */
const asking = ref<{ files: File[]; scenes: string[] } | null>(null)
async function take(given: Iterable<File> | null | undefined, scene = ''): Promise<void> {
  const files = [...(given ?? [])]
  asking.value = null
  if (!files.length || progress.value !== null) return
  failure.value = ''
  progress.value = 0
  cancel = new AbortController()
  try {
    const brought = await bringIn(files, scene, (share) => (progress.value = share), cancel.signal)
    const mended = brought.repairs.length ? ` ${brought.repairs.join(' ')}` : ''
    ElMessage({ message: `Imported “${brought.name}”.${mended}`, type: 'success', duration: 8000, showClose: true })
    await router.push(`/characters/${brought.id}`)
  } catch (error) {
    if (error instanceof Problem && error.kind === 'which-scene') asking.value = { files, scenes: error.scenes }
    else if (!(error instanceof DOMException)) failure.value = error instanceof Problem ? error.message : 'The file could not be brought in.'
  } finally {
    progress.value = null
    if (picker.value) picker.value.value = ''
  }
}
/** Do something to a character, then show the library as it is. */
async function change(work: Promise<unknown>, otherwise: string): Promise<void> {
  failure.value = ''
  try {
    await work
  } catch (error) {
    failure.value = error instanceof Problem ? error.message : otherwise
  }
  await load()
}
async function rename(c: LibraryEntry): Promise<void> {
  const asked = ElMessageBox.prompt('What is this character called?', 'Rename', { inputValue: c.name, confirmButtonText: 'Rename' })
  const told = await asked.catch(() => null)
  if (told?.value.trim()) await change(api.rename(c.id, told.value.trim()), 'It could not be renamed.')
}
async function remove(c: LibraryEntry): Promise<void> {
  await change(api.remove(c.id), 'It could not be deleted.')
  if (!failure.value) ElMessage({ message: `“${c.name}” is deleted. It can be brought back below.`, duration: 5000, showClose: true })
}
const restore = (c: LibraryEntry) => change(api.restore(c.id), 'It could not be brought back.')
async function erase(c: LibraryEntry): Promise<void> {
  const asked = ElMessageBox.confirm(`“${c.name}” and its whole history will be gone for good.`, 'Delete for good?', { confirmButtonText: 'Delete for good', type: 'warning' })
  if (await asked.catch(() => null)) await change(api.erase(c.id), 'It could not be deleted.')
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
              <span class="muted">{{ c.remedies === 1 ? '1 remedy' : `${c.remedies} remedies` }}<template v-if="c.tied < c.remedies">, {{ c.remedies - c.tied }} untied</template></span>
              <span class="muted">{{ c.demo ? 'demo, ' : '' }}v{{ c.version }}, {{ new Date(c.saved_at).toLocaleString([], { dateStyle: 'medium', timeStyle: 'short' }) }}</span>
            </div>
          </router-link>
          <div class="does">
            <el-button size="small" text :aria-label="`Rename ${c.name}`" @click="rename(c)">Rename</el-button>
            <el-button size="small" text :aria-label="`Delete ${c.name}`" title="It can be brought back" @click="remove(c)">Delete</el-button>
          </div>
        </article>
        <button class="drop" :class="{ over }" :disabled="progress !== null" @click="picker?.click()">
          <template v-if="progress === null">
            <b>Import a character</b>
            <span>Drop a .glb here, a .gltf together with its files, a bare mesh as .obj, or a drawing as .svg; or click to choose.</span>
          </template>
          <template v-else>
            <b>{{ progress < 1 ? 'Sending …' : 'Reading …' }}</b>
            <el-progress :percentage="Math.round(progress * 100)" :show-text="false" :indeterminate="progress >= 1" class="bar" />
          </template>
        </button>
        <el-button v-if="progress !== null" class="cancel" @click="cancel?.abort()">Cancel</el-button>
      </div>
      <p v-if="characters?.length === 0" class="muted">The library is empty. Import a character to begin.</p>
      <section v-if="removed.length" class="removed">
        <h2>Deleted</h2>
        <p v-for="c in removed" :key="c.id">
          <span>{{ c.name }}</span>
          <el-button size="small" :aria-label="`Bring ${c.name} back`" @click="restore(c)">Bring back</el-button>
          <el-button size="small" text :aria-label="`Delete ${c.name} for good`" @click="erase(c)">Delete for good</el-button>
        </p>
      </section>
      <input ref="picker" type="file" multiple accept=".glb,.gltf,.usd,.usda,.usdc,.usdz,.obj,.mtl,.svg,.bin,.png,.jpg,.jpeg,.webp" hidden @change="(e) => void take((e.target as HTMLInputElement).files)" />
      <el-dialog :model-value="asking !== null" title="Which scene?" width="360" @update:model-value="asking = null">
        <p class="muted">The file holds several. Each can be brought in, as a character of its own.</p>
        <div class="scenes"><el-button v-for="scene in asking?.scenes" :key="scene" @click="take(asking?.files, scene)">{{ scene }}</el-button></div>
      </el-dialog>
    </main>
  </div>
</template>

<style scoped>
.scenes { display: grid; gap: 8px; margin-top: 12px; }
.scenes .el-button { margin: 0; }
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
.does { position: absolute; right: 6px; top: 226px; display: flex; opacity: 0; background: #26232de6; border-radius: 4px; }
.does .el-button { margin: 0; }
.card:hover .does, .does:focus-within { opacity: 1; }
@media (hover: none) { .does { opacity: 1; } }
.removed { margin-top: 28px; max-width: 460px; }
.removed h2 { font-size: 13px; color: var(--muted); }
.removed p { display: flex; gap: 6px; align-items: center; border-bottom: 1px solid var(--line); padding: 4px 0; }
.removed span { flex: 1; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.drop { width: 222px; min-height: 330px; border: 1.5px dashed #5b5568; border-radius: 6px; background: none; color: var(--muted); font: inherit; display: grid; align-content: center; gap: 8px; padding: 20px; cursor: pointer; }
.drop b { color: var(--text); font-weight: 600; }
.drop.over, .drop:hover { border-color: var(--accent); color: var(--text); }
.bar { width: 100%; }
.cancel { align-self: center; }
.failure { background: #3a2b2c; border: 1px solid var(--loss); border-radius: 4px; padding: 8px 12px; margin-bottom: 18px; }
</style>
