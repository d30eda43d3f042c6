<script setup lang="ts">
import { computed } from 'vue';
import { useTheme } from 'vuetify';
import MarkPicture from './MarkPicture.vue';
import { colourOf, PALETTE } from './palette.ts';

const props = withDefaults(defineProps<{ colour: number; size?: number; off?: boolean }>(), { size: 14, off: false });
const theme = useTheme();
const mark = computed(() => ({ shape: PALETTE[props.colour].shape, colour: colourOf(props.colour, theme.current.value.dark) }));
</script>

<template>
  <MarkPicture :mark="mark" :size="size" :off="off" />
</template>
