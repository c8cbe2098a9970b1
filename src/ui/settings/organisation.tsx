'use client'

import { useForm } from 'react-hook-form'
import type { Settings } from '@/store/settings'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Section } from './section'

interface Given {
  name: string
  locale: string
  zone: string
  currency: string
  senderName: string
  senderAddress: string
  domains: string
  whyFooter: boolean
}

/** The organisation's ways: name, locale, zone, currency, who its mail is from, and whether mail says why one got it. */
export function OrganisationSettings({ settings, zones }: { settings: Settings; zones: readonly string[] }) {
  const { name, locale, zone, currency, sender, sendingDomains, whyFooter } = settings
  const values = { name, locale, zone, currency, senderName: sender.name, senderAddress: sender.address, domains: sendingDomains.join(', '), whyFooter }
  const { register, handleSubmit, formState } = useForm<Given>({ values })
  const { busy, act } = useDeed()
  const save = handleSubmit(({ senderName, senderAddress, domains, ...rest }) =>
    act(
      () => call('PUT', '/api/v1/settings', { ...rest, sender: { name: senderName, address: senderAddress }, sendingDomains: domains.split(/[,;\s]+/).filter(Boolean) }),
      'Saved. Mail from now on follows it.',
    ),
  )
  return (
    <Section title="The organisation" note="Dates, numbers and money in mail are written in its ways; conditions such as today count days in its zone.">
      <form onSubmit={save} className="grid grid-cols-1 gap-x-8 gap-y-4 sm:grid-cols-2">
        <Labelled label="Name">
          <input aria-label="Name" className="blank-line" {...register('name', { required: true })} />
        </Labelled>
        <Labelled label="Time zone">
          <input aria-label="Time zone" list="zones" className="blank-line" {...register('zone', { required: true })} />
          <datalist id="zones">
            {zones.map((z) => (
              <option key={z} value={z} />
            ))}
          </datalist>
        </Labelled>
        <Labelled label="Locale" note="A language tag, such as en-GB or de-DE">
          <input aria-label="Locale" className="blank-line" {...register('locale', { required: true })} />
        </Labelled>
        <Labelled label="Currency" note="Three letters, such as GBP">
          <input aria-label="Currency" className="blank-line" {...register('currency', { required: true })} />
        </Labelled>
        <Labelled label="Mail is from" note="The name people see">
          <input aria-label="Mail is from" className="blank-line" {...register('senderName', { required: true })} />
        </Labelled>
        <Labelled label="Its address">
          <input aria-label="Its address" type="email" className="blank-line" {...register('senderAddress', { required: true })} />
        </Labelled>
        <Labelled
          label="Domains we may send for"
          note="Mail from the owner comes from their own address there; elsewhere it carries their name, and replies go to them"
          className="sm:col-span-2"
        >
          <input aria-label="Domains we may send for" placeholder="none" className="blank-line" {...register('domains')} />
        </Labelled>
        <label className="flex items-baseline gap-2 sm:col-span-2">
          <input type="checkbox" className="accent-spruce" {...register('whyFooter')} />
          <span>
            Every mail ends with <i className="font-serif">Why you got this</i>, a link that only its recipients have, to what made it.
          </span>
        </label>
        <div className="sm:col-span-2">
          <Button kind="main" type="submit" disabled={busy || !formState.isDirty}>
            Save
          </Button>
        </div>
      </form>
    </Section>
  )
}
