<script lang="ts">
  import uPlot from 'uplot';
  import 'uplot/dist/uPlot.min.css';
  import { age } from '$lib/links/words';

  /** How long ago calendars had been read, hour by hour: a line for each. */
  let {
    hours,
    lines,
    zone,
  }: {
    hours: string[];
    lines: { name: string; hue: number; lags: (number | null)[] }[];
    zone: string;
  } = $props();

  let box: HTMLElement;
  let width = $state(0);
  const token = (name: string) => getComputedStyle(box).getPropertyValue(name).trim();

  $effect(() => {
    if (!width) return;
    const axis = {
      stroke: token('--color-mute'),
      grid: { stroke: token('--color-base-300'), width: 1 },
      ticks: { show: false },
      font: `12px ${getComputedStyle(box).fontFamily}`,
    };
    const clock = new Intl.DateTimeFormat('en-GB', { timeZone: zone, hour: '2-digit', minute: '2-digit' });
    const day = new Intl.DateTimeFormat('en-GB', { timeZone: zone, weekday: 'short', day: 'numeric' });
    const label = (at: number) => {
      const time = clock.format(at * 1000);
      return time === '00:00' ? day.format(at * 1000) : time;
    };
    const plot = new uPlot(
      {
        width,
        height: 240,
        tzDate: (at) => uPlot.tzDate(new Date(at * 1000), zone),
        legend: { show: false },
        cursor: { show: false },
        scales: { y: { range: (_, __, most) => [0, Math.max(60, most * 1.1)] } },
        axes: [
          { ...axis, values: (_, at) => at.map(label) },
          { ...axis, size: 70, values: (_, at) => at.map((s) => age(s)) },
        ],
        series: [
          {},
          ...lines.map((l) => ({
            label: l.name,
            stroke: token(`--color-hue-${l.hue}`),
            width: 2,
            spanGaps: false,
            points: { show: true, size: 5 },
          })),
        ],
      },
      [hours.map((h) => Date.parse(h) / 1000), ...lines.map((l) => l.lags)],
      box,
    );
    return () => plot.destroy();
  });
</script>

<div
  bind:this={box}
  bind:clientWidth={width}
  role="img"
  aria-label="How long ago calendars had been read, hour by hour; the same stands in the table"
></div>
