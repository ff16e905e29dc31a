import { useTranslation } from 'react-i18next';
import type { Person } from '../api/client';
import { Header } from '../kit/header';
import { staffPages } from '../kit/pages';
import './staff';

/** The head of an office page, drawn once the words of the staff are there. */
export default function StaffHead({ person }: { person: Person }) {
  const { t } = useTranslation();
  return <Header pages={staffPages(t, person)} where={person.name} />;
}
