import { chromium } from 'playwright-core';
const args=['--no-sandbox','--disable-gpu','--disable-quic','--no-first-run','--disable-background-networking','--disable-component-update','--disable-sync','--autoplay-policy=no-user-gesture-required'];
const browser = await chromium.launch({ executablePath:'/usr/bin/chromium', args, ignoreDefaultArgs:['--hide-scrollbars'] });
const page = await browser.newPage({ viewport:{width:1280,height:800} });
page.on('console', m => m.type()==='error' && console.log('console', m.text()));
await page.goto('http://127.0.0.1:4390/');
await (new Function('page','shot', `return (async()=>{${process.argv[2]}})()`))(page, (n)=>page.screenshot({path:`/tmp/${n}.png`}));
await browser.close();
