// The pages of the guide, as they lie in docs/guide: fetched with what shows them.
import { marked } from 'marked';
import decals from '../../../docs/guide/decals.md?raw';
import deliver from '../../../docs/guide/deliver.md?raw';
import judge from '../../../docs/guide/judge.md?raw';
import layer from '../../../docs/guide/layer.md?raw';
import painting from '../../../docs/guide/painting.md?raw';
import paintOver from '../../../docs/guide/paint-over.md?raw';
import prepare from '../../../docs/guide/prepare.md?raw';

export const pages: Record<string, { title: string; text: string }> = {
  prepare: { title: 'Prepare', text: prepare },
  layer: { title: 'Layer', text: layer },
  painting: { title: 'Painting', text: painting },
  decals: { title: 'Decals', text: decals },
  'paint-over': { title: 'Paint over', text: paintOver },
  judge: { title: 'Judge', text: judge },
  deliver: { title: 'Deliver', text: deliver },
};

/** A page as HTML; its pictures are told by their words alone. */
export const html = (page: string) =>
  marked.parse(pages[page].text.replace(/!\[([^\]]*)\]\([^)]*\)/g, '*$1*'), { async: false });
