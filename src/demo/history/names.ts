/** Made-up names for the demo. */
export const FIRST_NAMES = ['Oskar', 'Lena', 'Piet', 'Amara', 'Bjørn', 'Zofia', 'Hugo', 'Nadia', 'Ewan', 'Sølvi', 'Kwame', 'Marta', 'Jürgen', 'Aoife', 'Tomasz', 'Ingrid', 'Samir', 'Heidi', 'Rory', 'Ludmila']
export const LAST_NAMES = ['Brandvik', 'Tulloch', 'Marsh', 'Odenwald', 'Farrow', 'Nygaard', 'Kowalik', 'Thorne', 'Pell', 'Amadi', 'Grieve', 'Stenhouse', 'Müllner', 'Okoro', 'Varga', 'Lockett', 'Sinclair-Roe', 'Haugland', 'Bains', 'Quill']
export const COMPANIES = ['Skerry Weddings', 'Blue Whin Tours', 'Northhaven Rowing Club', 'Ternsay Primary School', 'Fulmar Films', 'Two Kettles Catering', 'Holm Heritage Trust', 'Brae Distillers', 'Gannet Conferences', 'Low Tide Festival', 'Saltmarsh Surveyors', 'Peat & Pine Retreats']
export const CITIES = ['Northhaven', 'Ternsay', 'Brae', 'Holm', 'Kirkmouth', 'Ardle']
export const VESSELS = ['Kestrel', 'Fulmar', 'Merganser', 'Dunlin', 'Turnstone']
export const ITEMS = ['Flares, red hand', 'Life jackets, adult', 'Life jackets, child', 'Mooring line 24 mm', 'Engine oil 20 l', 'Fire extinguishers', 'First aid kits', 'Bow door seals', 'Fuel filters', 'Deck paint', 'Ticket rolls', 'Drinking water 5 l']
export const DEFECTS = ['Alarm on the panel that will not clear.', 'Leaks at the flange, about a cup a day.', 'Answers late to the helm.', 'Worn, to be replaced at the next lay-up.', 'No reading since this morning.', 'Seal torn on the port side.', 'Smell of burning, breaker tripped twice.']
