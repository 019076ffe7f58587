/** Grades of findings, the least first. */
const GRADES = ['fine', 'note', 'plan', 'act']
export const rankOf = (grade: string) => GRADES.indexOf(grade)
