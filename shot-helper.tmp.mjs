import { Builder, By, until } from 'selenium-webdriver';
import chrome from 'selenium-webdriver/chrome.js';
import { writeFileSync, mkdtempSync } from 'node:fs';
export async function browser() {
  const o = new chrome.Options();
  o.setChromeBinaryPath('/usr/bin/chromium');
  o.addArguments('--headless=new','--no-sandbox','--disable-dev-shm-usage','--use-angle=swiftshader','--enable-unsafe-swiftshader','--disable-background-networking','--disable-component-update','--disable-sync','--no-first-run','--window-size=1280,800','--user-data-dir='+mkdtempSync('/tmp/chr-'));
  const d = await new Builder().forBrowser('chrome').setChromeOptions(o).setChromeService(new chrome.ServiceBuilder('/usr/bin/chromedriver')).build();
  await d.manage().window().setRect({ width: 1280, height: 800 + 139 });
  const inner = await d.executeScript('return [innerWidth, innerHeight]');
  await d.manage().window().setRect({ width: 1280 + 1280 - inner[0], height: 939 + 800 - inner[1] });
  return d;
}
export const shot = async (d, f) => writeFileSync(f, Buffer.from(await d.takeScreenshot(), 'base64'));
