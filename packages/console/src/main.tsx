document.title = 'Primrose';export {};
