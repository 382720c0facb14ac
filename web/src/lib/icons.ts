// The signs beside words that are used all day, from one set drawn in one weight.
import bookmark from '@lucide/svelte/icons/bookmark';
import box from '@lucide/svelte/icons/box';
import brush from '@lucide/svelte/icons/brush';
import cloud from '@lucide/svelte/icons/cloud-rain-wind';
import columns from '@lucide/svelte/icons/columns-2';
import copy from '@lucide/svelte/icons/copy';
import double from '@lucide/svelte/icons/copy-plus';
import down from '@lucide/svelte/icons/arrow-down-to-line';
import drill from '@lucide/svelte/icons/drill';
import eraser from '@lucide/svelte/icons/eraser';
import eye from '@lucide/svelte/icons/eye';
import folder from '@lucide/svelte/icons/folder';
import fill from '@lucide/svelte/icons/paint-bucket';
import frame from '@lucide/svelte/icons/maximize';
import help from '@lucide/svelte/icons/circle-question-mark';
import ledger from '@lucide/svelte/icons/scroll-text';
import lasso from '@lucide/svelte/icons/lasso';
import layers from '@lucide/svelte/icons/layers';
import line from '@lucide/svelte/icons/spline';
import lock from '@lucide/svelte/icons/lock';
import map from '@lucide/svelte/icons/map';
import moon from '@lucide/svelte/icons/moon';
import orbit from '@lucide/svelte/icons/rotate-3d';
import pack from '@lucide/svelte/icons/package';
import pin from '@lucide/svelte/icons/pin';
import reach from '@lucide/svelte/icons/scan';
import redo from '@lucide/svelte/icons/redo-2';
import ruler from '@lucide/svelte/icons/ruler';
import smear from '@lucide/svelte/icons/waves';
import stamp from '@lucide/svelte/icons/stamp';
import stock from '@lucide/svelte/icons/library';
import sun from '@lucide/svelte/icons/sun';
import trash from '@lucide/svelte/icons/trash-2';
import undo from '@lucide/svelte/icons/undo-2';
import unlock from '@lucide/svelte/icons/lock-open';

export const icons = {
  bookmark,
  box,
  brush,
  cloud,
  columns,
  copy,
  double,
  down,
  drill,
  eraser,
  eye,
  folder,
  fill,
  frame,
  help,
  ledger,
  lasso,
  layers,
  line,
  lock,
  map,
  moon,
  orbit,
  pack,
  pin,
  reach,
  redo,
  ruler,
  smear,
  stamp,
  stock,
  sun,
  trash,
  undo,
  unlock,
};
export type IconName = keyof typeof icons;
