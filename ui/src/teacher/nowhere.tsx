import { useTranslation } from 'react-i18next';
import type { Person } from '../api/client';
import { Header } from '../kit/header';
import './words';

/** For who is signed in and comes for nothing here: staff without students, and people whom no school lists now. */
export default function Nowhere({ person, username }: { person: Person | undefined; username: string }) {
  const { t } = useTranslation();
  return (
    <>
      <Header pages={[]} where={person?.name} />
      <main id="page" className="p-6">
        <h1>{t(person ? 'teacher.head' : 'teacher.headLeft')}</h1>
        <p className="mt-2 text-soft">{person ? t('teacher.note', { name: `${person.given} ${person.family}` }) : t('teacher.left', { name: username })}</p>
      </main>
    </>
  );
}
