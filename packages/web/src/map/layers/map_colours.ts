import { computed } from 'vue';
import { useTheme } from 'vuetify';

const LIGHT = {
  sea: '#dfe8e6',
  land: '#f2ecdc',
  coast: '#b9a888',
  context: '#b3a17d',
  faint: '#56685f',
  rim: '#fffdf7',
  violet: '#64479b',
};
export type MapColours = typeof LIGHT;
const DARK: MapColours = {
  sea: '#1a2724',
  land: '#2a3029',
  coast: '#5b6a5c',
  context: '#6d7a6c',
  faint: '#b9c4bb',
  rim: '#1d2622',
  violet: '#b9a0e8',
};

/** Colours of the map in the theme that is on. */
export function useMapColours() {
  const theme = useTheme();
  return computed(() => (theme.current.value.dark ? DARK : LIGHT));
}
