import words from '../../../locales/en.json?part=reminder';
import { speakMore } from '../i18n';

speakMore(words);
