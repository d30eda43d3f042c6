import { computed } from 'vue';
import { useExports } from '../stores/exports.ts';
import { useHelp } from '../stores/help.ts';
import { useHistory } from '../stores/history.ts';
import { useImports } from '../stores/imports.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useServices } from '../stores/services.ts';
import { useStyles } from '../stores/styles.ts';
import { useViews } from '../stores/views.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { DOCK_TABS } from '../dock/tabs.ts';
import { useThemeSwitch } from '../shell/theme_switch.ts';
import type { Found } from './found.ts';

/** What can be done from anywhere, by its name. */
export function useCommands() {
  const workspace = useWorkspace();
  const importing = useImports();
  const services = useServices();
  const exporting = useExports();
  const history = useHistory();
  const styles = useStyles();
  const show = useMapShow();
  const views = useViews();
  const help = useHelp();
  const theme = useThemeSwitch();
  return computed<Found[]>(() => {
    const source = workspace.activeSource;
    const command = (text: string, aside: string, choose: Found['choose']): Found => ({ key: `do ${text}`, text, aside, choose });
    return [
      command('Bring in data', 'a file', () => void importing.wanted++),
      command('Bring in data from a service or a database', 'by its address', () => void (services.open = true)),
      ...(source
        ? [
            command(`New sieve over ${source.name}`, '', () => workspace.newSieve(source.id)),
            command('Hand over what is kept', '', () => exporting.show()),
            command('Change how it is drawn', 'colours', () => void (styles.open = true)),
            ...DOCK_TABS.map(({ key, title }) => command(`Show: ${title.toLowerCase()}`, 'below the map', () => void (views.tab = key))),
            command('Draw a polygon', 'on the map', () => show.useTool('polygon')),
            command('Draw a circle', 'on the map', () => show.useTool('circle')),
            command('Draw a rectangle', 'on the map', () => show.useTool('rectangle')),
          ]
        : []),
      command(show.ground.graticule ? 'Hide lines of longitude and latitude' : 'Show lines of longitude and latitude', 'on the map', () => {
        show.ground.graticule = !show.ground.graticule;
      }),
      command('Undo', history.undoLabel ?? '', history.undo),
      command('Redo', history.redoLabel ?? '', history.redo),
      command(theme.dark.value ? 'Light colours' : 'Dark colours', '', theme.toggle),
      command('Help and keys', '', () => help.show()),
    ];
  });
}
