/** Keeps faults of the front end where a test can read them. */
export function noteFaults() {
  const faults: string[] = []
  Object.assign(window, { __errors: faults })
  window.addEventListener('error', (event) => faults.push(event.message))
  window.addEventListener('unhandledrejection', (event) => faults.push(String(event.reason)))
}
