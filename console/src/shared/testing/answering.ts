/** Who answers in the place of the service, for the test that runs. */
export const answering: { now: (request: Request) => Promise<Response> } = {
  now: () => Promise.reject(new Error('No test answers')),
}
