<script setup lang="ts">
import Papa from 'papaparse';
import { mdiTrashCanOutline } from '@mdi/js';
import { computed, ref } from 'vue';
import { api } from '../api/client.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted } from '../words/numbers.ts';

/** The code lists of the workspace: brought in from a table, shown, removed. */
const workspace = useWorkspace();
const notices = useNotices();
const chooser = ref<HTMLInputElement>();
const table = ref<{
  name: string;
  columns: string[];
  rows: string[][];
  code: string | null;
  meaning: string | null;
} | null>(null);
const shown = ref<number | null>(null);
const list = computed(() => workspace.codeLists.find(({ id }) => id === shown.value) ?? workspace.codeLists[0] ?? null);

async function onChosen(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = '';
  if (!file) return;
  const bytes = new Uint8Array(await file.arrayBuffer());
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    text = new TextDecoder('windows-1252').decode(bytes);
  }
  const rows = Papa.parse<string[]>(text.replace(/^\ufeff/, ''), { skipEmptyLines: true }).data;
  if (rows.length < 2 || rows[0].length < 2) {
    notices.say(`${file.name} is no code list: it needs a header and at least two columns, code and meaning.`);
    return;
  }
  const columns = rows[0].map((name) => name.trim());
  table.value = {
    name: file.name.replace(/\.[^.]*$/, ''),
    columns,
    rows: rows.slice(1),
    code: columns[0],
    meaning: columns[1],
  };
}

async function add(): Promise<void> {
  const { name, columns, rows, code, meaning } = table.value!;
  const [c, m] = [columns.indexOf(code!), columns.indexOf(meaning!)];
  const entries = new Map<string, string>();
  const twice: string[] = [];
  for (const row of rows) {
    const key = (row[c] ?? '').trim();
    if (key === '') continue;
    if (entries.has(key) && entries.get(key) !== (row[m] ?? '').trim()) twice.push(key);
    else entries.set(key, (row[m] ?? '').trim());
  }
  try {
    workspace.take(await api.addCodeList(name.trim() || 'Code list', [...entries]));
    table.value = null;
    shown.value = workspace.codeLists[workspace.codeLists.length - 1].id;
    if (twice.length > 0)
      notices.say(`${twice.slice(0, 5).join(', ')} ${twice.length === 1 ? 'has' : 'have'} more than one meaning; the first one was taken.`);
  } catch (error) {
    notices.complain(error);
  }
}
async function remove(id: number): Promise<void> {
  try {
    workspace.take(await api.removeCodeList(id));
    await workspace.load();
  } catch (error) {
    notices.complain(error);
  }
}
</script>

<template>
  <div class="lists side-by-side" data-test="code-lists">
    <div class="side">
      <ul>
        <li v-for="entry in workspace.codeLists" :key="entry.id">
          <button class="plain" type="button" :class="{ on: entry.id === list?.id }" @click="shown = entry.id">
            <b>{{ entry.name }}</b> <span class="soft">{{ counted(entry.entries.length) }} codes</span>
          </button>
          <button class="plain" type="button" :aria-label="`Remove ${entry.name}`" @click="remove(entry.id)">
            <v-icon :icon="mdiTrashCanOutline" size="16" />
          </button>
        </li>
      </ul>
      <p v-if="workspace.codeLists.length === 0" class="soft">
        A code list says what the codes of a column mean. Values then show code and meaning everywhere.
      </p>
      <button class="plain add" type="button" @click="chooser?.click()">+ From a CSV table</button>
      <input ref="chooser" type="file" accept=".csv,.tsv,.txt" hidden data-test="code-list-file" @change="onChosen" />
    </div>
    <div v-if="table" class="form">
      <v-text-field v-model="table.name" label="Name of the list" maxlength="200" />
      <v-select v-model="table.code" :items="table.columns" label="Codes" />
      <v-select v-model="table.meaning" :items="table.columns" label="Meanings" />
      <p class="soft">{{ counted(table.rows.length) }} rows. Codes are kept as they are written, leading zeros included.</p>
      <div class="buttons">
        <v-btn variant="text" @click="table = null">Cancel</v-btn>
        <v-btn color="primary" :disabled="!table.code || !table.meaning || table.code === table.meaning" data-test="add-list" @click="add"
          >Add the list</v-btn
        >
      </div>
    </div>
    <div v-else-if="list" class="entries">
      <table>
        <tbody>
          <tr v-for="[code, meaning] in list.entries.slice(0, 1000)" :key="code">
            <td class="mono">{{ code }}</td>
            <td>{{ meaning }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="list.entries.length > 1000" class="soft">The first 1,000 of {{ counted(list.entries.length) }} are shown.</p>
    </div>
  </div>
</template>

<style scoped>
.lists {
  display: grid;
  grid-template-columns: 260px minmax(0, 1fr);
  gap: 18px;
  flex: 1;
  min-height: 0;
}
ul {
  list-style: none;
  margin: 0 0 10px;
  padding: 0;
}
li {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 8px;
}
li button:first-child {
  flex: 1;
  padding: 5px 9px !important;
  border-left: 3px solid transparent;
}
li button.on {
  background: var(--tint);
  border-left-color: var(--copper);
}
.add {
  font-weight: 650;
  color: var(--spruce);
}
.form {
  display: flex;
  flex-direction: column;
  gap: 14px;
  max-width: 420px;
  padding-top: 6px;
}
.entries {
  overflow-y: auto;
}
td {
  padding: 2px 22px 2px 0;
}
</style>
