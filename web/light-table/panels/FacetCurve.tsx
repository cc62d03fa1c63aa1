'use client';
import Chart from 'react-apexcharts';
import { useTheme } from '@/shell/Shell.tsx';
import desk from '@/shell/desk.module.css';
import style from './panels.module.css';

export interface CurvePoint {
  deviation: number;
  measured: number;
  triangles: number;
  least: number;
}

/** Triangles against deviation, both on logarithmic scales, with the least possible and the receiver's limit. */
export function FacetCurve({
  points,
  now,
  limit,
  receiver,
}: {
  points: CurvePoint[];
  now: { deviation: number; triangles: number } | null;
  limit: number;
  receiver: string;
}) {
  const { theme } = useTheme();
  const computed = getComputedStyle(document.documentElement);
  const ink = (name: string) => computed.getPropertyValue(`--${name}`).trim();
  const x = (d: number) => Math.log10(d);
  const y = (t: number) => Math.log10(Math.max(1, t));
  const most = Math.max(...points.map((p) => p.triangles), now?.triangles ?? 0);
  const nearLimit = most > limit / 4;
  const series = [
    { name: 'made', data: points.map((p) => ({ x: x(p.deviation), y: y(p.triangles) })) },
    { name: 'least possible', data: points.map((p) => ({ x: x(p.deviation), y: y(p.least) })) },
  ];
  const figures = { fontFamily: 'var(--figures)', fontSize: '11px', colors: ink('muted') };
  return (
    <figure className={style.curve} aria-label="Triangles against deviation">
      <figcaption className="context">
        Triangles against deviation: <span className="c-designed">made</span>, and dashed the least possible
      </figcaption>
      <Chart
        key={theme}
        type="line"
        height={165}
        series={series}
        options={{
          chart: {
            toolbar: { show: false },
            zoom: { enabled: false },
            animations: { enabled: false },
            background: 'transparent',
            fontFamily: 'inherit',
            parentHeightOffset: 0,
          },
          theme: { mode: theme },
          colors: [ink('designed'), ink('muted')],
          stroke: { width: [2, 1.5], dashArray: [0, 4], curve: 'straight' },
          legend: { show: false },
          grid: { borderColor: ink('faint'), padding: { left: 4, right: 8, top: -14, bottom: -4 } },
          tooltip: {
            x: { formatter: (v: number) => `${(10 ** v).toPrecision(2)} mm` },
            y: { formatter: (v: number) => Math.round(10 ** v).toLocaleString('en') },
          },
          xaxis: {
            type: 'numeric',
            min: -2,
            max: x(0.5),
            tickAmount: 4,
            labels: { style: figures, formatter: (v: string) => `${Number((10 ** Number(v)).toPrecision(1))} mm` },
            axisBorder: { color: ink('rule') },
            axisTicks: { show: false },
          },
          yaxis: {
            labels: { style: figures, formatter: (v: number) => short(10 ** v) },
            tickAmount: 3,
            max: nearLimit ? Math.max(y(most), y(limit)) : undefined,
          },
          annotations: {
            yaxis: nearLimit
              ? [
                  {
                    y: y(limit),
                    borderColor: ink('stop'),
                    strokeDashArray: 0,
                    label: {
                      text: `${receiver} takes ${limit.toLocaleString('en')}`,
                      style: { color: ink('stop'), background: 'transparent' },
                      borderWidth: 0,
                    },
                  },
                ]
              : [],
            points: now
              ? [
                  {
                    x: Math.min(x(0.5), Math.max(-2, x(now.deviation))),
                    y: y(now.triangles),
                    marker: { size: 5, fillColor: ink('ink'), strokeColor: ink('sheet') },
                  },
                ]
              : [],
          },
        }}
      />
      {!nearLimit && (
        <p className={`context ${desk.small}`}>
          {receiver} takes {limit.toLocaleString('en')} triangles, far above this.
        </p>
      )}
    </figure>
  );
}

function short(n: number): string {
  return n >= 1e6 ? `${(n / 1e6).toPrecision(2)} M` : n >= 1000 ? `${Number((n / 1000).toPrecision(2))} k` : String(Math.round(n));
}
