import words from '../../../locales/en.json?part=family';
import { speakMore } from '../i18n';

speakMore(words);
