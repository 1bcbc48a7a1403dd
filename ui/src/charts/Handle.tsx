const LARGE = 10; // small steps in a large one

type Props = {
  label: string;
  /** Which of so many places it stands at. */
  place: number;
  places: number;
  value: number;
  ends: [number, number];
  text: string;
  about?: string;
  transform: string;
  onFocus?: () => void;
  /** Asked to go by so many places. */
  onStep: (by: number) => void;
};

/** A flag that is moved along a ruler by keys, with a slider's role, keys and words (WAI-ARIA's slider pattern). */
export function Handle({ label, place, places, value, ends, text, about, transform, onFocus, onStep }: Props) {
  const steps: Record<string, number> = {
    ArrowLeft: -1,
    ArrowDown: -1,
    ArrowRight: 1,
    ArrowUp: 1,
    PageDown: -LARGE,
    PageUp: LARGE,
    Home: -place,
    End: places - 1 - place,
  };
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-describedby={about}
      aria-valuenow={value}
      aria-valuemin={ends[0]}
      aria-valuemax={ends[1]}
      aria-valuetext={text}
      transform={transform}
      onFocus={onFocus}
      onKeyDown={(event) => {
        const by = steps[event.key];
        if (by === undefined || event.ctrlKey || event.metaKey || event.altKey) return;
        event.preventDefault();
        if (by !== 0) onStep(event.shiftKey && Math.abs(by) === 1 ? by * LARGE : by);
      }}
    >
      <path d="M-7,-6 h14 v9 l-7,7 l-7,-7 z" fill="var(--color-ink)" />
    </g>
  );
}
