import { expect, it } from 'vitest'
import { parameterOf, parameterWords, scaleEnd, targetAt, valuesOf } from './design'

it('counts the values of a statement, and none within a text', () => {
  expect(valuesOf('SELECT 1 FROM loan WHERE patron = $2 AND due > $1')).toBe(2)
  expect(valuesOf("SELECT '$3 ?' FROM loan WHERE id = ? AND note = ?")).toBe(2)
  expect(valuesOf('SELECT 1')).toBe(0)
})

it('reads a range or a list of values, and writes them back', () => {
  expect(parameterOf('1 to 30000')).toEqual({ low: 1, high: 30000 })
  expect(parameterOf(' -5..5 ')).toEqual({ low: -5, high: 5 })
  expect(parameterOf('late, 7')).toEqual({ values: ['late', 7] })
  expect(parameterWords(parameterOf('late, 7'))).toBe('late, 7')
  expect(parameterWords({ low: 1, high: 9, skew: 0.3 })).toBe('1 to 9')
  expect(parameterWords(undefined)).toBe('')
  expect(parameterOf('of loan.patron')).toEqual({ column: 'loan.patron' })
  expect(parameterWords({ column: 'loan.patron' })).toBe('of loan.patron')
})

it('keeps the accounts of a lab server when another is chosen', () => {
  const target = targetAt('server', 'lab-b', { server: 'lab-a', account: 'tuner' })
  expect(target.server).toBe('lab-b')
  expect(target.account).toBe('tuner')
  expect(targetAt('postgresql', 'library', target)).toEqual({ postgresql: { sample: 'library' } })
})

it('ends a scale of ratios at a power of two that holds them and their inverses', () => {
  expect(scaleEnd([0.3, null, 1.2])).toBe(4)
  expect(scaleEnd([])).toBe(2)
  expect(scaleEnd([1000])).toBe(64)
})
