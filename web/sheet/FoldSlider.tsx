import { Glide } from '@/shell/controls.tsx';
import desk from '@/shell/desk.module.css';

/** From flat to folded: the slider that folds a flat pattern up and down. */
export function FoldSlider({ share, set, ready }: { share: number; set: (share: number) => void; ready: boolean }) {
  return (
    <div className={desk.row} data-test="fold" data-ready={ready ? 'yes' : 'no'}>
      flat
      <Glide label="Folded, from flat to folded" words={`${Math.round(share * 100)} % folded`} min={0} max={1} step={0.01} value={share} onChange={set} />
      folded
    </div>
  );
}
