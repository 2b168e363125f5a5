// Handles that follow a pointer, and the keys that move them.

/** Makes an element a handle: `start`, `move` and `end` are called with the pointer's events. */
export function draggable(element, { start = () => {}, move, end = () => {} }) {
  element.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    element.focus?.();
    element.setPointerCapture(event.pointerId);
    start(event);
    const finish = (last) => {
      element.removeEventListener("pointermove", move);
      element.removeEventListener("pointerup", finish);
      element.removeEventListener("pointercancel", finish);
      end(last);
    };
    element.addEventListener("pointermove", move);
    element.addEventListener("pointerup", finish);
    element.addEventListener("pointercancel", finish);
  });
}

/** How far an arrow key moves something, [to the right, upwards]; ten times as far with shift; nothing for other keys. */
export function nudged(event, step) {
  const direction = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
  if (!direction) return null;
  event.preventDefault();
  event.stopPropagation();
  return direction.map((part) => part * step * (event.shiftKey ? 10 : 1));
}
