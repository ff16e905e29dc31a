import words from '../../../locales/en.json?part=staff';
import { speakMore } from '../i18n';
import './reminderwords';

speakMore(words);
