import type { TopologyAnswer } from '@flail/contract';
import { Body, Controller, HttpCode, Post } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { type Asker, WhoAsks } from '../access/asker.js';
import { windowOf } from '../query/moments.js';
import { WindowedDto } from '../query/windowed.dto.js';
import { RecordStore } from '../store/record-store.js';
import { TopologyService } from './topology.service.js';

/** What there is, and how it hangs together. */
@ApiTags('read')
@Controller('api/v1/topology')
export class TopologyController {
  constructor(
    private readonly topologies: TopologyService,
    private readonly store: RecordStore,
  ) {}

  @Post('search')
  @HttpCode(200)
  @ApiOperation({ summary: 'What runs where, and who calls whom, as the signals of a window tell' })
  search(@Body() body: WindowedDto, @WhoAsks() asker: Asker): Promise<TopologyAnswer> {
    const dataset = this.store.dataset(body.dataset);
    const window = this.store.shownPart(dataset, windowOf(body.window, 'window'));
    return this.topologies.topology(dataset, asker, window);
  }
}
