<script setup lang="ts">
import { checkFilter, FilterError, hangsOnAsOf, isDatabase, parseFilter, sampledOf } from '@clean-sieve/core';
import type { ColumnInfo, FetchRequest, LayerLook, ServiceCollection, ServiceLook, ServiceSurvey } from '@clean-sieve/server/api';
import { computed, defineAsyncComponent, ref, shallowReactive, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { resultOf } from '../api/job_result.ts';
import { useLook } from '../sources/use_look.ts';
import DecidedMark from '../stack/DecidedMark.vue';
import { useNotices } from '../stores/notices.ts';
import { useServices } from '../stores/services.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted, plural } from '../words/numbers.ts';
import { sentence } from '../words/sentence.ts';
import LayerPreviewMap from './LayerPreviewMap.vue';
import SampleTable from './SampleTable.vue';
import { periodInWords, whereDecided, wouldCome } from './service_words.ts';

/** Chooses a collection of a service or a table of a database, and what of it is fetched; how much that would be is told before. */
const ExpressionField = defineAsyncComponent(() => import('../dock/text/ExpressionField.vue'));
/** What a look at a collection has told. */
interface Seen {
  of: ServiceCollection;
  answer: ServiceLook & { look: LayerLook };
}
const services = useServices();
const workspace = useWorkspace();
const notices = useNotices();

const address = ref('');
const wantsKey = ref(false);
const header = ref('Authorization');
const secret = ref('');
/** What was asked for last; null before. */
const asked = ref<{ address: string; key: { header: string; value: string } | null } | null>(null);
const chosen = ref<ServiceCollection | null>(null);
const name = ref('');
const text = ref('');
const left = ref<string[]>([]);
/** What becomes of it: stored, or asked whenever it is wanted, of a table also by a sample. */
const becomes = ref<'copy' | 'live' | 'sample'>('copy');
const isLive = computed(() => becomes.value !== 'copy');
const SAMPLE = 200_000;
const size = ref(SAMPLE);
const isSize = computed(() => Number.isInteger(size.value) && size.value >= 1 && size.value <= 2_000_000);

const found = useLook(
  () => asked.value,
  async ({ address: at, key }, signal, told): Promise<ServiceSurvey> => {
    const { survey } = await resultOf(await api.surveyService(at, key), signal, told);
    if (!survey) throw new Error('There is no answer');
    return survey;
  },
  { rests: false },
);
const survey = found.answer;

const EXAMPLE = 'https://data.example.org/api, or postgresql://user@host:5432/database';
/** Whether it is a database that is typed, and that was asked. */
const typesDatabase = computed(() => isDatabase(address.value));
/** What was opened with a password is not asked for it again. */
const wantsPassword = computed(() => typesDatabase.value && address.value.trim() !== survey.value?.address);
const offered = computed(() => (survey.value?.collections ?? []).filter(({ id }) => !before || id === before.collection));
const kind = computed(() => (survey.value && isDatabase(survey.value.address) ? 'database' : 'service'));

function look(): void {
  if (address.value.trim() === '') return;
  const wants = typesDatabase.value || wantsKey.value;
  const key = wants && secret.value !== '' ? { header: typesDatabase.value ? 'Password' : header.value.trim(), value: secret.value } : null;
  // The same address once more is another look at it.
  asked.value = null;
  void Promise.resolve().then(() => (asked.value = { address: address.value.trim(), key }));
}
function useSimulated(): void {
  address.value = workspace.simulatedAt ?? '';
  look();
}

/** The live source that is to be asked for something else, which is looked at right away. */
const changing = services.changing;
const before = changing?.fetchedFrom;
if (before) {
  address.value = before.address;
  becomes.value = sampledOf(before) !== null ? 'sample' : 'live';
  size.value = before.live?.sample?.wanted ?? SAMPLE;
  look();
}
watch(survey, (now) => {
  secret.value = '';
  chosen.value = null;
  drafts.clear();
  together.value = [];
  // A service gives no sample.
  if (kind.value === 'service' && becomes.value === 'sample') becomes.value = 'live';
  // A password that was typed into the address stands there no longer.
  if (now && typesDatabase.value) address.value = now.address;
  const wanted = before?.collection ?? now?.chosen;
  choose(now?.collections.find(({ id }) => id === wanted) ?? (before ? null : (now?.collections[0] ?? null)));
  if (before && chosen.value) [text.value, left.value] = [before.filter ?? '', [...before.leftOut]];
});

/** What was chosen for a collection while it was open. */
interface Draft {
  name: string;
  text: string;
  left: string[];
  becomes: typeof becomes.value;
  size: number;
  /** Null while it cannot be asked for like that, or how much would come is not told yet. */
  request: FetchRequest | null;
  matched: number | null;
  isWrong: boolean;
}
const drafts = shallowReactive(new Map<string, Draft>());
/** Collections that come together, by their id; none: the open one alone. */
const together = ref<string[]>([]);

function choose(collection: ServiceCollection | null): void {
  const now = { name: name.value, text: text.value, left: left.value, becomes: becomes.value, size: size.value };
  if (chosen.value && chosen.value !== collection)
    drafts.set(chosen.value.id, {
      ...now,
      request: canFetch.value ? request() : null,
      matched: service.value?.matched ?? null,
      isWrong: problem.value !== null,
    });
  chosen.value = collection;
  const draft = collection && drafts.get(collection.id);
  name.value = draft?.name ?? collection?.title ?? '';
  text.value = draft?.text ?? '';
  left.value = draft?.left ?? [];
  if (draft) [becomes.value, size.value] = [draft.becomes, draft.size];
}
/** One that comes with others is looked at first: how much would come is told before. */
function take(collection: ServiceCollection): void {
  const { id } = collection;
  const isTaken = together.value.includes(id);
  together.value = isTaken ? together.value.filter((one) => one !== id) : [...together.value, id];
  if (!isTaken) choose(collection);
}
/** What is said of one that comes with others and is not open. */
function toldOf({ id }: ServiceCollection): string | null {
  if (!together.value.includes(id) || id === chosen.value?.id) return null;
  const draft = drafts.get(id);
  if (draft?.isWrong) return 'its condition is not right';
  if (!draft?.request) return draft?.matched === 0 ? 'nothing of it would come' : 'not counted yet: open it';
  return draft.matched === null ? 'how many is not known' : plural(draft.matched, 'feature');
}

/** Columns as the first features have them, with the values of those. */
const columns = computed((): ColumnInfo[] =>
  (service.value?.look.columns ?? []).map(({ name: column, type }, i) => {
    const values = service.value!.look.rows.map((row) => row[i]).filter((value) => value !== null);
    return {
      ...{ name: column, type, nulls: 0, empty: 0, distinct: new Set(values).size, min: null, max: null },
      ...{ title: null, description: null, hidden: false, derivation: null, codeList: null },
    };
  }),
);
function valuesOf(column: string) {
  const at = columns.value.findIndex((one) => one.name === column);
  const counts = new Map<string | number | boolean, number>();
  for (const row of service.value?.look.rows ?? []) {
    const value = row[at];
    if (value !== null && value !== undefined) counts.set(value, (counts.get(value) ?? 0) + 1);
  }
  const listed = [...counts].map(([value, count]) => ({ value, count, kept: count }));
  return Promise.resolve(listed.sort((a, b) => b.count - a.count));
}

const checked = computed((): { filter: string | null; problem: FilterError | null } => {
  if (text.value.trim() === '') return { filter: null, problem: null };
  try {
    const parsed = parseFilter(text.value);
    if (columns.value.length > 0)
      checkFilter(parsed, columns.value, { areas: new Map(workspace.areas.map(({ name: area, shape }) => [area, shape])) });
    if (isLive.value && hangsOnAsOf(parsed.expr))
      return { filter: null, problem: new FilterError('What is live cannot be asked for by a date that counts from the as-of date') };
    return { filter: text.value.trim(), problem: null };
  } catch (error) {
    if (error instanceof FilterError) return { filter: null, problem: error };
    throw error;
  }
});
const query = computed(() => {
  if (!survey.value || !chosen.value || checked.value.problem) return null;
  const { address: root, conformance } = survey.value;
  return { address: root, conformance, collection: chosen.value, filter: checked.value.filter };
});
/** What the first features of a collection were, so that the service is asked for them once. */
const first = shallowRef<{ of: ServiceCollection; look: LayerLook; all: number | null } | null>(null);
const seen = useLook(
  () => query.value,
  async (wanted, signal, told): Promise<Seen> => {
    const known = first.value?.of === wanted.collection ? first.value : null;
    const columnsKnown = known?.look.columns ?? null;
    const { service: answer } = await resultOf(await api.lookAtService({ ...wanted, known: columnsKnown }), signal, told);
    const look = known?.look ?? answer?.look;
    if (!answer || !look) throw new Error('There is no answer');
    const all = known ? known.all : answer.all;
    first.value = { of: wanted.collection, look, all };
    return { of: wanted.collection, answer: { ...answer, look, all } };
  },
  { keeps: true },
);
/** Of another collection it is no answer. */
const service = computed(() => (seen.answer.value?.of === chosen.value ? (seen.answer.value?.answer ?? null) : null));

const problem = computed(() => checked.value.problem?.line ?? service.value?.problem ?? null);
const count = computed(() => (service.value ? wouldCome(service.value) : null));
const canFetch = computed(
  () =>
    query.value !== null &&
    service.value !== null &&
    !seen.looking.value &&
    problem.value === null &&
    (isLive.value || service.value.matched !== 0) &&
    (becomes.value !== 'sample' || (isSize.value && undecided.value === null)),
);
/** A condition that the database does not decide: by such no sample is taken. */
const undecided = computed(() => service.value?.conditions.find(({ by }) => by !== 'there')?.text ?? null);
/** How many rows come of a sample. */
const sampled = computed(() => Math.min(size.value, service.value?.matched ?? size.value));
const sample = computed(() => (becomes.value === 'sample' ? size.value : null));
const facts = computed(() => {
  if (!service.value || !chosen.value) return [];
  const { look: looked } = service.value;
  const out: [string, string][] = [
    [
      'Geometry',
      Object.keys(looked.geometryTypes)
        .filter((type) => type !== 'None')
        .join(', ') || 'none',
    ],
  ];
  const period = periodInWords(chosen.value.period);
  if (period) out.push(['Period', period]);
  out.push(['Comes in', looked.crs?.label ?? 'a system that is not known']);
  if (chosen.value.storage && !/CRS84/.test(chosen.value.storage)) out.push(['Kept there in', chosen.value.storage]);
  out.push(['Looked at', `the first ${plural(looked.looked, 'feature')}`]);
  return out;
});

/** What is asked for of the open collection. */
const request = (): FetchRequest => ({
  ...query.value!,
  name: name.value.trim() || chosen.value!.title,
  leftOut: left.value,
  into: null,
  live: isLive.value,
  sample: sample.value,
});
/** What is asked for; null while one of them cannot be. */
const requests = computed((): FetchRequest[] | null => {
  const ids = together.value.length > 0 ? together.value : chosen.value ? [chosen.value.id] : [];
  const known = ids.flatMap((id) => {
    if (id === chosen.value?.id) return canFetch.value ? [request()] : [];
    return drafts.get(id)?.request ?? [];
  });
  return ids.length > 0 && known.length === ids.length ? known : null;
});
function fetchIt(): void {
  const all = requests.value;
  services.open = false;
  if (changing) return void services.askFor(changing, { filter: query.value!.filter, leftOut: left.value, sample: sample.value });
  for (const one of all ?? []) void services.fetchIt(one);
}

const gone = computed(() => (before ? `${survey.value?.title} has no ${before.collection} any more` : ''));
const WAYS = [
  { way: 'copy', title: 'A copy', words: 'as of now, stored here; it can be fetched again, and compared' },
  { way: 'live', title: 'Live', words: 'not stored: asked whenever the program begins, and whenever you say so' },
  { way: 'sample', title: 'Live, by a sample', words: 'to look at a large table; counted and handed over is all of it' },
] as const;
/** More rows may not fit into the memory of a job. */
const LARGE = 5_000_000;
const ways = computed(() =>
  WAYS.filter(({ way }) => (way === 'copy' ? !changing : way === 'live' || kind.value === 'database')).map((one) => {
    const isTooLarge = one.way !== 'sample' && kind.value === 'database' && (service.value?.matched ?? 0) > LARGE;
    return isTooLarge ? { ...one, words: `${one.words}; as many as these may not fit into memory` } : one;
  }),
);
const verb = computed(() => {
  if (together.value.length > 1) return `Bring in ${plural(together.value.length, kind.value === 'database' ? 'table' : 'collection')}`;
  const [only] = offered.value.filter(({ id }) => together.value.includes(id) && id !== chosen.value?.id);
  if (only) return `Bring in ${only.title}`;
  const of = service.value?.matched ? ` ${plural(service.value.matched, 'feature')}` : '';
  if (becomes.value === 'sample') return isSize.value ? `Ask for ${plural(sampled.value, 'row')}` : 'Ask for it';
  if (isLive.value) return of ? `Ask for${of}` : 'Ask for it';
  return `Fetch${of || ' it'}`;
});
async function forget(): Promise<void> {
  try {
    await api.forgetKey(survey.value!.address);
    look();
  } catch (error) {
    notices.complain(error);
  }
}
</script>

<template>
  <v-dialog
    :model-value="services.open"
    width="1080"
    persistent
    @keydown.esc="services.open = false"
    @update:model-value="services.open = false"
  >
    <v-card class="dialog" :class="{ full: survey }" data-test="service-dialog">
      <h3>{{ changing ? `What ${changing.name} is asked for` : 'Bring in data from a service or a database' }}</h3>
      <form v-if="!changing" class="address" @submit.prevent="look">
        <v-text-field
          v-model="address"
          label="Address of an OGC API – Features service, or of a PostgreSQL database"
          :placeholder="EXAMPLE"
          autofocus
          maxlength="2000"
          data-test="service-address"
        />
        <v-btn type="submit" variant="tonal" :disabled="address.trim() === ''" :loading="found.looking.value" data-test="survey"
          >Look</v-btn
        >
      </form>
      <p v-if="changing" class="soft aside">{{ before?.collection }} at {{ before?.address }}</p>
      <p v-else class="soft aside">
        <template v-if="typesDatabase">Its tables with shapes are read, and nothing in it is changed.</template>
        <button v-else-if="!wantsKey" class="plain link" type="button" data-test="with-key" @click="wantsKey = true">It wants a key</button>
        <template v-if="workspace.simulatedAt && !survey && !typesDatabase">
          · <button class="plain link" type="button" data-test="use-simulated" @click="useSimulated">Try the demo’s storm reports</button>,
          a simulated service of another office
        </template>
        <template v-if="survey?.hasKey">
          · A {{ kind === 'database' ? 'password' : 'key' }} is kept for it in this workspace, and sent to nobody else.
          <button class="plain link" type="button" @click="forget">Forget it</button>
        </template>
      </p>
      <v-text-field
        v-if="wantsPassword && !changing"
        v-model="secret"
        class="password"
        label="Password, if it wants one"
        type="password"
        autocomplete="off"
        maxlength="8000"
        data-test="database-password"
      />
      <div v-else-if="wantsKey && !typesDatabase" class="key">
        <v-text-field v-model="header" label="Header" maxlength="100" data-test="key-header" />
        <v-text-field v-model="secret" label="Token or key" type="password" autocomplete="off" maxlength="8000" data-test="key-value" />
      </div>
      <p v-if="found.trouble.value" class="problem" role="alert" data-test="service-problem">{{ found.trouble.value }}</p>
      <p v-else-if="found.looking.value" class="soft" aria-live="polite">{{ found.progress.value || 'Asking' }} …</p>
      <div v-if="survey" class="screen side-by-side">
        <ul class="found" :aria-label="kind === 'database' ? 'Tables' : 'Collections'">
          <li v-for="collection in offered" :key="collection.id" :class="{ on: collection.id === chosen?.id }">
            <input
              v-if="offered.length > 1"
              type="checkbox"
              :checked="together.includes(collection.id)"
              :aria-label="`Bring in ${collection.title} with others`"
              data-test="take"
              @change="take(collection)"
            />
            <button class="plain open" type="button" :aria-pressed="collection.id === chosen?.id" @click="choose(collection)">
              <b>{{ collection.title }}</b>
              <span class="soft">{{ collection.description || collection.id }}</span>
              <span v-if="toldOf(collection)" class="told-of">{{ toldOf(collection) }}</span>
            </button>
          </li>
        </ul>
        <p v-if="!chosen" class="problem" role="alert">{{ gone }}</p>
        <div v-else class="one" :class="{ busy: seen.looking.value && !service }">
          <p v-if="seen.trouble.value" class="problem" role="alert" data-test="service-problem">{{ seen.trouble.value }}</p>
          <p v-else-if="!service" class="soft" aria-live="polite">{{ seen.progress.value || 'Looking at the first features' }} …</p>
          <template v-else>
            <div class="upper side-by-side">
              <div class="choices">
                <v-text-field v-if="!changing" v-model="name" label="Name of the source" maxlength="200" data-test="fetch-name" />
                <div>
                  <p class="label">Only features that are like this (all when it is empty)</p>
                  <ExpressionField
                    v-model="text"
                    :columns="columns"
                    :values="valuesOf"
                    :hint="`severity >= 3 AND …: columns of the ${kind === 'database' ? 'table' : 'service'}, areas of the workspace`"
                    :problem="checked.problem"
                    label="Condition"
                    data-test="service-condition"
                  />
                </div>
                <p v-if="problem" class="problem" role="alert" data-test="condition-problem">{{ sentence(problem) }}</p>
              </div>
              <div class="map"><LayerPreviewMap :shapes="service.look.shapes" :extent="chosen.extent ?? service.look.extent" /></div>
            </div>
            <div class="told" aria-live="polite">
              <p class="count" data-test="would-come">
                <template v-if="seen.looking.value">Counting …</template>
                <template v-else-if="count"
                  ><b>{{ count.count }}</b> {{ count.words }}</template
                >
              </p>
              <ul v-if="service.conditions.length > 0 && !problem" class="decided" data-test="decided">
                <li v-for="(condition, i) in service.conditions" :key="i">
                  <DecidedMark class="by" :by="condition.by" :kind="kind" />
                  <code>{{ condition.text }}</code>
                  <span v-if="service.stack && service.stack.rows[i].left !== null" class="left"
                    ><b>{{ counted(service.stack.rows[i].left) }}</b> left<template v-if="service.stack.rows[i].unknown"
                      >, {{ plural(service.stack.rows[i].unknown, 'blank', 'blank') }}</template
                    ></span
                  >
                  <span v-else class="soft">{{ whereDecided(condition.by, kind).words }}</span>
                </li>
              </ul>
            </div>
            <dl>
              <template v-for="[term, words] in facts" :key="term">
                <dt>{{ term }}</dt>
                <dd>{{ words }}</dd>
              </template>
            </dl>
            <SampleTable v-model:left="left" :look="service.look" />
          </template>
        </div>
      </div>
      <div class="buttons">
        <div v-if="survey && ways.length > 1" class="as" role="radiogroup" aria-label="What becomes of it">
          <label v-for="{ way, title, words } in ways" :key="way">
            <input type="radio" name="as" :value="way" :checked="becomes === way" :data-test="`as-${way}`" @change="becomes = way" />
            <span
              ><b>{{ title }}</b>
              <span v-if="way !== 'sample' || becomes !== 'sample'" class="soft">{{ words }}</span>
              <span v-else-if="undecided" class="problem">not by {{ undecided }}, which the database does not decide</span>
              <span v-else class="soft"
                >of
                <input
                  v-model.number="size"
                  class="size"
                  type="number"
                  min="1"
                  max="2000000"
                  aria-label="Rows of the sample"
                  data-test="sample-size"
                />
                rows by chance; counted and handed over is all of it</span
              ></span
            >
          </label>
        </div>
        <v-btn variant="text" @click="services.open = false">Cancel</v-btn>
        <v-btn color="primary" :disabled="requests === null" data-test="fetch" @click="fetchIt">{{ verb }}</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
/* Small while there is only the address; it does not jump with what comes then. */
.full {
  height: min(700px, 94vh);
}
.address,
.key {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 10px;
  align-items: center;
}
.key {
  grid-template-columns: 220px minmax(0, 1fr);
}
.password {
  flex: none;
}
.aside,
p {
  margin: 0;
}
.problem {
  color: var(--copper-text);
  font-weight: 600;
  overflow-wrap: anywhere;
}
.screen {
  display: grid;
  grid-template-columns: 210px minmax(0, 1fr);
  gap: 18px;
  flex: 1;
  min-height: 0;
}
.found {
  list-style: none;
  margin: 0;
  padding: 0;
  overflow-y: auto;
  border-right: 1px solid var(--line);
}
.found li {
  display: flex;
  align-items: flex-start;
  gap: 8px;
  padding: 7px 10px;
  border-left: 3px solid transparent;
}
.found li.on {
  background: var(--tint);
  border-left-color: var(--copper);
}
.found input {
  flex: none;
  margin-top: 4px;
  accent-color: var(--spruce);
}
.told-of {
  color: var(--spruce);
}
.open {
  width: 100%;
  text-align: left;
  overflow-wrap: anywhere;
}
.open span {
  display: block;
  font-size: 12.5px;
}
.one {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-width: 0;
  min-height: 0;
  padding-top: 6px;
  overflow-y: auto;
}
.busy {
  opacity: 0.6;
}
.upper {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 260px;
  gap: 14px;
  min-height: 160px;
  flex: none;
}
.choices {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-width: 0;
}
.choices > :deep(.v-input) {
  flex: none;
}
.label {
  margin-bottom: 3px;
  color: var(--soft);
}
.count b {
  font-size: 19px;
}
.decided {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  max-height: 84px;
  overflow-y: auto;
}
.decided li {
  display: flex;
  align-items: baseline;
  gap: 8px;
}
.decided code {
  overflow-wrap: anywhere;
}
.left {
  flex: none;
  margin-left: auto;
}
.by {
  width: 92px;
}
dl {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  margin: 0;
}
dt {
  color: var(--soft);
}
dt,
dd {
  display: inline;
  margin: 0;
}
dd {
  margin-left: -10px;
}
.as {
  display: flex;
  flex-direction: column;
  margin-right: auto;
}
.as label {
  display: flex;
  align-items: center;
  gap: 4px;
  min-height: 26px;
  cursor: pointer;
}
.as b {
  margin-right: 6px;
}
.as .size {
  width: 104px;
  height: 24px;
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: 5px;
  background: var(--surface);
  color: inherit;
  font: inherit;
}
.as input[type='radio'] {
  width: 24px;
  height: 24px;
  margin: 0;
  accent-color: var(--spruce);
  transform: scale(0.65);
}
</style>
