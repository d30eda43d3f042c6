import { computed } from 'vue';
import { useTheme } from 'vuetify';

const LIGHT = {
  dark: false,
  sea: '#dfe8e6',
  /** Beside the earth. */
  space: '#fbf8f0',
  river: '#a9c3c0',
  land: '#f2ecdc',
  coast: '#b9a888',
  context: '#b3a17d',
  faint: '#56685f',
  rim: '#fffdf7',
  violet: '#64479b',
  name: '#4a5a52',
};
export type MapColours = typeof LIGHT;
const DARK: MapColours = {
  dark: true,
  sea: '#1a2724',
  space: '#131a18',
  river: '#3c5752',
  land: '#2a3029',
  coast: '#5b6a5c',
  context: '#6d7a6c',
  faint: '#b9c4bb',
  rim: '#1d2622',
  violet: '#b9a0e8',
  name: '#c2cbc4',
};

/** Colours of the map in the theme that is on, or as on paper. */
export function useMapColours(onPaper = false) {
  const theme = useTheme();
  return computed(() => (theme.current.value.dark && !onPaper ? DARK : LIGHT));
}
