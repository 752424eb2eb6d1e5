import react from '@vitejs/plugin-react'
import { defineConfig } from 'vitest/config'

// Components say in their first line that they want a document; models run without one, which is faster.
export default defineConfig({
  plugins: [react()],
  test: { environment: 'node', setupFiles: ['src/shared/testing/setup.ts'], testTimeout: 90_000 },
})
