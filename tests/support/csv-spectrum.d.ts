declare module 'csv-spectrum' {
  export default function spectrum(done: (error: Error | null, samples: { name: string; csv: Buffer; json: Buffer }[]) => void): void
}
