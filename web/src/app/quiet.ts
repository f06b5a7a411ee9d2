let touched = performance.now();
for (const what of ["keydown", "pointerdown", "wheel"]) {
  window.addEventListener(what, () => (touched = performance.now()), { capture: true, passive: true });
}

/** Waits until nobody has pressed, typed or scrolled for so long: what is done then is in nobody's way. */
export async function quiet(milliseconds: number): Promise<void> {
  for (let left = milliseconds; left > 0; left = touched + milliseconds - performance.now()) {
    await new Promise((done) => window.setTimeout(done, left));
  }
}
