// Dragging on a drawing, with the primary button. The drawing has the pointer to itself until it is let go; Escape, a
// lost pointer, or a page that changes meanwhile call it off, and nothing is sent.

const under = { drag: null };

// place is where the pointer is, in the drawing's own units.
export function place(drawing, e) {
  return new DOMPoint(e.clientX, e.clientY).matrixTransform(drawing.getScreenCTM().inverse());
}

// drags makes whatever a selector finds in a drawing draggable. begin is given the grip and where it was taken, and
// returns what is dragged, or nothing; move and end are given that and where the pointer is; cancel puts back what move
// has drawn.
export function drags(selector, { begin, move, end, cancel }) {
  document.addEventListener("pointerdown", (e) => {
    const grip = e.button === 0 && e.isPrimary ? e.target.closest?.(selector) : null;
    if (!grip || under.drag) return;
    const drawing = grip.ownerSVGElement.closest("svg[data-code]") ?? grip.ownerSVGElement;
    const what = begin(grip, place(drawing, e));
    if (!what) return;
    under.drag = { drawing, what, move, end, cancel, pointer: e.pointerId };
    drawing.setPointerCapture(e.pointerId);
    e.preventDefault();
  });
}

function callOff() {
  const drag = under.drag;
  under.drag = null;
  if (drag?.drawing.isConnected) drag.cancel(drag.what);
}

const ours = (e) => under.drag && under.drag.pointer === e.pointerId;

document.addEventListener("pointermove", (e) => {
  if (!ours(e)) return;
  if (under.drag.drawing.isConnected) under.drag.move(under.drag.what, place(under.drag.drawing, e));
  else callOff();
});

document.addEventListener("pointerup", (e) => {
  if (!ours(e)) return;
  const { drawing, what, end } = under.drag;
  under.drag = null;
  if (drawing.isConnected) end(what, place(drawing, e));
});

document.addEventListener("pointercancel", (e) => ours(e) && callOff());
document.addEventListener("keydown", (e) => e.key === "Escape" && under.drag && callOff());
