/** Where the cells of the head wall lie: as many columns as fit, rows of one height, and how the arrow keys walk them. */

export interface WallGrid {
  readonly columns: number;
  readonly cellWidthPx: number;
  readonly rowHeightPx: number;
  readonly rows: number;
}

const LEAST_CELL_PX = 96;
const ROW_PX = 70;
/** How much lies before the onset in a cell, and what is shown in all. */
export const BEFORE_MS = 26;
export const SHOWN_MS = 92;

export function wallGrid(widthPx: number, count: number): WallGrid {
  const columns = Math.max(Math.floor(widthPx / LEAST_CELL_PX), 1);
  return { columns, cellWidthPx: widthPx / columns, rowHeightPx: ROW_PX, rows: Math.ceil(count / columns) };
}

/** The cell that an arrow key leads to, or the same at an end. */
export function stepped(grid: WallGrid, at: number, key: string, count: number): number {
  const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -grid.columns, ArrowDown: grid.columns, PageUp: -4 * grid.columns, PageDown: 4 * grid.columns, Home: -Infinity, End: Infinity }[key];
  if (by === undefined) return at;
  return Math.min(Math.max(at + by, 0), count - 1);
}

/** Which cells are on the screen, first and after the last. */
export function visibleCells(grid: WallGrid, scrollPx: number, heightPx: number, count: number): [number, number] {
  const first = Math.max(Math.floor(scrollPx / grid.rowHeightPx), 0);
  const last = Math.ceil((scrollPx + heightPx) / grid.rowHeightPx);
  return [Math.min(first * grid.columns, count), Math.min(last * grid.columns, count)];
}
