'use client'

import { scaleSqrt } from 'd3'

const WIDTH = 84
const HEIGHT = 22

/** Runs on each of the last seven days, as small strokes; the last is today. `most` is where the scale ends, the same for all workflows; it goes by the square root, so that one run beside hundreds can be seen. */
export function Week({ daily, most, name }: { daily: readonly number[]; most: number; name: string }) {
  const height = scaleSqrt().domain([0, most]).range([0, HEIGHT])
  const step = WIDTH / daily.length
  return (
    <svg
      role="img"
      aria-label={`Runs of ${name} on the last ${daily.length} days: ${daily.join(', ')}`}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="h-[22px] w-[84px] self-center"
    >
      <line x1={0} x2={WIDTH} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} stroke="var(--rule)" />
      {daily.map((runs, i) => (
        <rect
          key={i}
          x={i * step + 1.5}
          width={step - 3}
          y={HEIGHT - height(runs)}
          height={height(runs)}
          fill={i === daily.length - 1 ? 'var(--rope-mark)' : 'var(--spruce)'}
          opacity={0.85}
        />
      ))}
    </svg>
  )
}
