/** What pointer and keys want of a scene. */
export interface Moves {
  /** Degrees to the right and up. */
  turn(heading: number, tilt: number): void;
  /** Pixels that the picture is dragged by. */
  pan(dx: number, dy: number): void;
  zoom(factor: number): void;
  home(): void;
  click(e: PointerEvent): void;
  /** A pointer is held down: it goes on moving, even while it stands still. */
  hold(on: boolean): void;
}

/** Degrees that a pixel of dragging, and an arrow key, turns. */
const TURN = 0.35;
const STEP = 8;
/** Pixels that an arrow key moves, and within which pressing is no dragging. */
const SHIFT = 40;
const STILL = 4;

const ARROWS: Record<string, readonly [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Follows a pointer that was pressed: dragging moves, with Shift or another button turns; without dragging it was a click. */
export function pressed(e: PointerEvent, moves: Moves): void {
  const turning = e.button === 2 || e.button === 1 || e.shiftKey;
  let [x, y] = [e.clientX, e.clientY];
  let far = 0;
  const move = (m: PointerEvent): void => {
    const [dx, dy] = [m.clientX - x, m.clientY - y];
    [x, y] = [m.clientX, m.clientY];
    far += Math.abs(dx) + Math.abs(dy);
    if (far < STILL) return;
    if (turning) moves.turn(dx * TURN, -dy * TURN);
    else moves.pan(dx, dy);
  };
  const up = (u: PointerEvent): void => {
    removeEventListener('pointermove', move);
    removeEventListener('pointerup', up);
    removeEventListener('pointercancel', up);
    moves.hold(false);
    if (far < STILL && !turning && u.type === 'pointerup') moves.click(u);
  };
  addEventListener('pointermove', move);
  addEventListener('pointerup', up);
  addEventListener('pointercancel', up);
  moves.hold(true);
  e.preventDefault();
}

export function wheeled(e: WheelEvent, moves: Moves): void {
  e.preventDefault();
  moves.zoom(Math.exp(Math.sign(e.deltaY) * Math.min(0.5, Math.abs(e.deltaY) / 500)));
}

/** Arrows move, with Shift turn; + and - go nearer and farther, Home shows all. */
export function keyed(e: KeyboardEvent, moves: Moves): void {
  const step = ARROWS[e.key];
  if (step && e.shiftKey) moves.turn(step[0] * STEP, -step[1] * STEP);
  else if (step) moves.pan(-step[0] * SHIFT, -step[1] * SHIFT);
  else if (e.key === '+') moves.zoom(0.8);
  else if (e.key === '-') moves.zoom(1.25);
  else if (e.key === 'Home') moves.home();
  else return;
  e.preventDefault();
}
