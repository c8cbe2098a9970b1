import Bowser from 'bowser'

/** What a browser says of itself, in words such as “Firefox on Linux”. */
export function agentWords(agent: string | null): string {
  if (!agent) return 'an unknown program'
  const { browser, os } = Bowser.parse(agent)
  if (!browser.name) return agent.split('/')[0]?.slice(0, 40) || 'an unknown program'
  return os.name ? `${browser.name} on ${os.name}` : browser.name
}
