import { pictureSize } from './picture-size';

describe('the size of a picture', () => {
  const read = (text: string) => pictureSize(text, [800, 500]);

  it('follows from its width', () => {
    expect(read('1600')).toEqual({ height: 1000 });
    expect(read('1 601px')).toEqual({ height: 1001 });
  });

  it('is refused where it is none, and where nobody could draw it', () => {
    for (const text of ['', 'wide', '12.5', '3', '-400'])
      expect('wrong' in read(text))
        .withContext(text)
        .toBeTrue();
    expect(read('16001')).toEqual({ wrong: jasmine.stringContaining('16 000 along a side') as never });
    // 15 000 by 9375 are 141 million.
    expect('wrong' in read('15000')).toBeTrue();
    expect('height' in read('13000')).toBeTrue();
  });
});
