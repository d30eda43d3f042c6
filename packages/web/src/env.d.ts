/// <reference types="vite/client" />
declare module '@fontsource-variable/source-sans-3';
declare module '@fontsource/ibm-plex-mono/400.css';
declare module 'vuetify/styles';
/** Cities, the largest first; two numbers a city in `at`: longitude and latitude. */
declare module 'virtual:places' {
  const columns: { names: string[]; countries: string[]; people: number[]; at: number[] };
  export default columns;
}
