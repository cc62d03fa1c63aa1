/** From flat to folded: the slider that folds a flat pattern up and down. */
export function FoldSlider({ share, set, ready }: { share: number; set: (share: number) => void; ready: boolean }) {
  return (
    <label className="row" data-test="fold" data-ready={ready ? 'yes' : 'no'}>
      flat
      <input
        type="range"
        aria-label="Folded, from flat to folded"
        aria-valuetext={`${Math.round(share * 100)} % folded`}
        min={0}
        max={1}
        step={0.01}
        value={share}
        onChange={(e) => set(Number(e.target.value))}
      />
      folded
    </label>
  );
}
