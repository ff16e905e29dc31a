import words from '../../../locales/en.json?part=student';
import { speakMore } from '../i18n';

speakMore(words);
