// A hand that lets go: what it turned runs out softly. A page says by `pace` how fast a turn is worth running out, and when it rests, in its own
// measure of `at.speed`; it draws by `draw`.
const fingers = new Map();
let spread = 0, before = 0;
const let_go = (event) => {
  fingers.delete(event.pointerId);
  if (fingers.size) return;
  stage.classList.remove("pulled");
  if (Math.abs(at.speed) > pace.runs && !matchMedia("(prefers-reduced-motion: reduce)").matches) requestAnimationFrame(run_out);
};
stage.addEventListener("pointerup", let_go);
stage.addEventListener("pointercancel", let_go);
function run_out(now) {
  const gone = before ? Math.min(40, now - before) : 16;
  before = now;
  at.turn += at.speed * gone; at.speed *= Math.pow(0.994, gone);
  draw();
  if (Math.abs(at.speed) > pace.rests && !fingers.size) requestAnimationFrame(run_out); else before = 0;
}
