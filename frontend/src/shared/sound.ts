/** Right and wrong as sounds: one short high note, or two low ones. Browsers without sound stay silent. */
let context: AudioContext | undefined;

function note(hertz: number, at: number, seconds: number): void {
  context ??= new AudioContext();
  const tone = context.createOscillator();
  const loud = context.createGain();
  const start = context.currentTime + at;
  tone.frequency.value = hertz;
  loud.gain.setValueAtTime(0.2, start);
  loud.gain.exponentialRampToValueAtTime(0.001, start + seconds);
  tone.connect(loud).connect(context.destination);
  tone.start(start);
  tone.stop(start + seconds);
}

export function soundRight(): void {
  if (typeof AudioContext !== "undefined") note(1320, 0, 0.12);
}

export function soundWrong(): void {
  if (typeof AudioContext === "undefined") return;
  note(220, 0, 0.25);
  note(165, 0.28, 0.4);
}
