import { exprOfForm, type SpaceForm } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import { useTreeEditing } from '../../stack/tree_editing.ts';
import { useNotices } from '../../stores/notices.ts';
import { useWorkspace } from '../../stores/workspace.ts';

/** Gives a condition another shape, or the area that it is about. */
export function usePutShape(): (id: string, form: SpaceForm, geometry: Geometry) => void {
  const workspace = useWorkspace();
  const notices = useNotices();
  const editing = useTreeEditing();
  return (id, form, geometry) => {
    if (form.kind === 'radius') return;
    const named = 'op' in form.geometry && form.geometry.op === 'AREA' ? form.geometry.args[0] : null;
    const area = workspace.areas.find(({ name }) => name === named);
    if (area) workspace.changeArea(area, { shape: geometry }, 'shape').catch((error: unknown) => notices.complain(error));
    else editing.setExpr(id, exprOfForm({ ...form, geometry }));
  };
}
