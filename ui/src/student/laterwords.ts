import words from '../../../locales/en.json?part=later';
import { speakMore } from '../i18n';

speakMore(words);
